/** What a file is packed as. `tar` has no mark at its beginning, and is told by the sum of its first header. */
export type Packing = 'zip' | 'tar' | 'gzip' | 'zstd' | 'brotli' | 'pdf'

/** How a packed file begins, and as what it is packed: what Mappa opens. */
const openedMarks: readonly (readonly [Packing, mark: readonly number[]])[] = [
  ['zip', [0x50, 0x4b, 3, 4]],
  ['zip', [0x50, 0x4b, 5, 6]],
  ['gzip', [0x1f, 0x8b]],
  ['zstd', [0x28, 0xb5, 0x2f, 0xfd]],
  ['pdf', [0x25, 0x50, 0x44, 0x46]],
]

/** The same for what it does not open, by the name that people know. */
const otherMarks: readonly (readonly [name: string, mark: readonly number[] | string])[] = [
  ['bzip2', 'BZh'],
  ['xz', [0xfd, 0x37, 0x7a, 0x58, 0x5a, 0]],
  ['7z', [0x37, 0x7a, 0xbc, 0xaf, 0x27, 0x1c]],
  ['rar', 'Rar!\u001a\u0007'],
  ['lzip', 'LZIP'],
  ['lz4', [4, 0x22, 0x4d, 0x18]],
  ['compress', [0x1f, 0x9d]],
  ['compress', [0x1f, 0xa0]],
  ['a cabinet', 'MSCF'],
  ['cpio', '07070'],
  ['ar', '!<arch>\n'],
  ['rpm', [0xed, 0xab, 0xee, 0xdb]],
  ['squashfs', 'hsqs'],
]

/** So many bytes tell how a file is packed. */
export const headBytes = 1024

export function packingOf(path: string, head: Uint8Array): Packing | undefined {
  const found = openedMarks.find(([, mark]) => mark.every((byte, at) => head[at] === byte))?.[0]
  // Brotli (RFC 7932) has no mark at all.
  return found ?? (isTar(head) ? 'tar' : path.endsWith('.br') ? 'brotli' : undefined)
}

/** The packing of a file that cannot be openedMarks, by its name. */
export function unopenedPacking(head: Uint8Array): string | undefined {
  const start = Buffer.from(head.subarray(0, 16)).toString('latin1')
  return otherMarks.find(([, mark]) =>
    typeof mark === 'string' ? start.startsWith(mark) : mark.every((byte, at) => head[at] === byte),
  )?.[0]
}

/** POSIX.1-2001, ustar, and older: bytes 148 to 155 of a header are the sum of all, themselves counted as blanks. */
function isTar(head: Uint8Array): boolean {
  if (head.length < 512 || head[0] === 0) return false
  const written = /^ *([0-7]+)[\0 ]/.exec(Buffer.from(head.subarray(148, 156)).toString('latin1'))?.[1]
  let sum = 0
  for (let at = 0; at < 512; at++) sum += at >= 148 && at < 156 ? 32 : (head[at] as number)
  return written !== undefined && Number.parseInt(written, 8) === sum
}

/** The end of a zip file's directory: it also tells one that has something in front of it. */
export const zipEnd = Buffer.from([0x50, 0x4b, 5, 6])

/** A text in another encoding as UTF-8: UTF-16 and UTF-32, with their marks or by where their zeros are. Undefined for others. */
export function decodedText(bytes: Uint8Array): Uint8Array | undefined {
  const name = wideEncoding(bytes)
  if (name === undefined) return undefined
  if (name.startsWith('utf-16')) return Buffer.from(new TextDecoder(name).decode(bytes))
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength & ~3)
  let text = ''
  for (let at = 0; at < view.byteLength; at += 4) {
    const code = view.getUint32(at, name === 'utf-32le')
    text += code <= 0x10ffff ? String.fromCodePoint(code) : '\ufffd'
  }
  return Buffer.from(text)
}

/** So much of a text is looked at to tell its encoding. Bytes. */
const sampleBytes = 4096

function wideEncoding(bytes: Uint8Array): 'utf-16le' | 'utf-16be' | 'utf-32le' | 'utf-32be' | undefined {
  const length = Math.min(bytes.length, sampleBytes) & ~3
  if (length < 8) return undefined
  const zeros = [0, 0, 0, 0]
  for (let at = 0; at < length; at++) if (bytes[at] === 0) zeros[at % 4] = (zeros[at % 4] as number) + 1
  // Of a text most characters are ASCII; data has zeros elsewhere, too.
  const share = zeros.map((count) => (4 * count) / length)
  const [a, b, c, d] = share.map((each) => (each > 0.7 ? 'z' : each < 0.3 ? 'x' : '?')) as [
    string,
    string,
    string,
    string,
  ]
  const marks = { xzxz: 'utf-16le', zxzx: 'utf-16be', xzzz: 'utf-32le', zzzx: 'utf-32be' } as const
  const told = marks[(a + b + c + d) as keyof typeof marks]
  if (told) return told
  const [first, second] = bytes
  return first === 0xff && second === 0xfe ? 'utf-16le' : first === 0xfe && second === 0xff ? 'utf-16be' : undefined
}
