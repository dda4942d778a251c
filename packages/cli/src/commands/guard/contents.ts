import { createReadStream, readdirSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import * as zlib from 'node:zlib'
import { bytesAt } from 'mappa/command'
import { createTarDecoder } from 'modern-tar'
import yauzl from 'yauzl'

/** A file, or one that is packed in it: `notes.zip › notes/keys.txt`. */
export interface Content {
  readonly path: string
  readonly bytes: Uint8Array
  /** Why it was not looked into, if it is packed. */
  readonly unread?: string
}

/** Archives in archives are opened so far. */
const depthMax = 4
/** Limit for the unpacked size of one file: more is an attack. Bytes. */
const unpackedMax = 4 * 1024 * 1024 * 1024
/** A packed file is held as a whole up to here. Bytes. */
const entryMax = 256 * 1024 * 1024

/**
 * A file, or every file below a folder, and whatever is packed in them: zip (documents, packages, books), tar (images of containers
 * with all of their layers), gzip, zstd where Node has it, and the streams of PDF. Links are not followed.
 */
export async function* contentsOf(path: string): AsyncGenerator<Content> {
  if (!statSync(path).isDirectory()) {
    yield* fileContents(path)
    return
  }
  for (const each of readdirSync(path, { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1))) {
    const inner = join(path, each.name)
    if (each.isDirectory() && each.name !== '.git') yield* contentsOf(inner)
    else if (each.isFile()) yield* fileContents(inner)
  }
}

/** A file on the disk. An image of a container may be larger than what can be held, and is read as it is unpacked. */
async function* fileContents(path: string): AsyncGenerator<Content> {
  const budget = { left: unpackedMax }
  if (statSync(path).size <= entryMax) {
    yield* opened(path, bytesAt(path) ?? new Uint8Array(0), 0, budget)
    return
  }
  const head = await collected(createReadStream(path, { end: 511 }))
  const kind = kindOf(head)
  const none = new Uint8Array(0)
  try {
    if (kind === 'tar') yield* tarred(path, createReadStream(path), 0, budget)
    else if (kind === 'gzip') yield* tarred(path, createReadStream(path).pipe(zlib.createGunzip()), 0, budget)
    else yield { path, bytes: none, unread: 'it is too large' }
  } catch {
    yield { path, bytes: none, unread: 'it is not a complete archive' }
  }
}

interface Budget {
  left: number
}

/** A content, and what is packed in it, by what it begins with. */
async function* opened(path: string, bytes: Uint8Array, depth: number, budget: Budget): AsyncGenerator<Content> {
  const kind = kindOf(bytes)
  // Of an archive it is what is packed in it that counts, and that is told by its own name.
  if (kind === undefined || kind === 'pdf') yield { path, bytes }
  const text = readableText(path, bytes)
  if (text) yield { path, bytes: text }
  if (kind === undefined) return
  if (depth >= depthMax) {
    yield { path, bytes, unread: 'it is nested too deep in other archives' }
    return
  }
  try {
    if (kind === 'zip') yield* zipped(path, bytes, depth, budget)
    else if (kind === 'tar') yield* tarred(path, Readable.from([bytes]), depth, budget)
    else if (kind === 'pdf') yield* { [Symbol.iterator]: () => inPdf(path, bytes, budget) }
    else yield* unpacked(path, bytes, kind, depth, budget)
  } catch (error) {
    yield { path, bytes, unread: error instanceof TooMuch ? error.message : 'it is not a complete archive' }
  }
}

class TooMuch extends Error {}

function spend(budget: Budget, bytes: number): void {
  budget.left -= bytes
  if (budget.left < 0) throw new TooMuch('it unpacks to too much data')
}

type ArchiveKind = 'zip' | 'tar' | 'gzip' | 'zstd' | 'pdf'

function kindOf(bytes: Uint8Array): ArchiveKind | undefined {
  const starts = (...wanted: readonly number[]) => wanted.every((byte, at) => bytes[at] === byte)
  if (starts(0x50, 0x4b, 3, 4)) return 'zip'
  if (starts(0x1f, 0x8b)) return 'gzip'
  if (starts(0x28, 0xb5, 0x2f, 0xfd)) return 'zstd'
  if (starts(0x25, 0x50, 0x44, 0x46)) return 'pdf'
  // POSIX.1-2001, ustar: at byte 257 of the first header.
  return Buffer.from(bytes.subarray(257, 262)).toString('latin1') === 'ustar' ? 'tar' : undefined
}

/** Entries of a packed piece: those of a nested archive, or the file itself. */
async function* unpacked(
  path: string,
  bytes: Uint8Array,
  kind: 'gzip' | 'zstd',
  depth: number,
  budget: Budget,
): AsyncGenerator<Content> {
  const { zstdDecompressSync } = zlib as unknown as { zstdDecompressSync?: typeof zlib.gunzipSync }
  const unpack = kind === 'gzip' ? zlib.gunzipSync : zstdDecompressSync
  if (!unpack) {
    yield { path, bytes: new Uint8Array(0), unread: 'this version of Node cannot unpack zstd' }
    return
  }
  const inner = unpack(bytes, { maxOutputLength: Math.min(budget.left, 2 ** 31 - 1) })
  spend(budget, inner.length)
  yield* opened(
    `${path} › ${(path.split(' › ').at(-1) as string)
      .split('/')
      .at(-1)
      ?.replace(/\.(?:gz|tgz|zst)$/, '')}`,
    inner,
    depth + 1,
    budget,
  )
}

async function* zipped(path: string, bytes: Uint8Array, depth: number, budget: Budget): AsyncGenerator<Content> {
  const file = await new Promise<yauzl.ZipFile>((resolve, reject) =>
    yauzl.fromBuffer(
      Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength),
      { lazyEntries: true, decodeStrings: true, strictFileNames: false },
      (error, made) => (error ? reject(error) : resolve(made)),
    ),
  )
  for (;;) {
    const entry = await new Promise<yauzl.Entry | undefined>((resolve, reject) => {
      file.once('entry', resolve)
      file.once('end', () => resolve(undefined))
      file.once('error', reject)
      file.readEntry()
    })
    file.removeAllListeners()
    if (!entry) return
    if (entry.fileName.endsWith('/')) continue
    const inner = `${path} › ${entry.fileName}`
    if (entry.uncompressedSize > entryMax || (entry.generalPurposeBitFlag & 1) === 1) {
      const why = entry.uncompressedSize > entryMax ? 'it is too large' : 'it is encrypted'
      yield { path: inner, bytes: new Uint8Array(0), unread: why }
      continue
    }
    spend(budget, entry.uncompressedSize)
    const stream = await new Promise<Readable>((resolve, reject) =>
      file.openReadStream(entry, (error, made) => (error ? reject(error) : resolve(made))),
    )
    yield* opened(inner, await collected(stream), depth + 1, budget)
  }
}

async function* tarred(path: string, source: Readable, depth: number, budget: Budget): AsyncGenerator<Content> {
  const bytes = Readable.toWeb(source) as ReadableStream<Uint8Array>
  for await (const { header, body } of bytes.pipeThrough(createTarDecoder({ strict: true }))) {
    const { name, type = 'file', size } = header
    const inner = `${path} › ${name}`
    if (type !== 'file' || size > entryMax) {
      if (type === 'file') yield { path: inner, bytes: new Uint8Array(0), unread: 'it is too large' }
      await body.cancel()
      continue
    }
    spend(budget, size)
    yield* opened(inner, await collected(body), depth + 1, budget)
  }
}

async function collected(stream: AsyncIterable<unknown>): Promise<Buffer> {
  const parts: Buffer[] = []
  for await (const part of stream) parts.push(part as Buffer)
  return Buffer.concat(parts)
}

/** The compressed streams of a PDF (ISO 32000-1, 7.3.8); what is drawn letter by letter is not a text in it. */
function* inPdf(path: string, bytes: Uint8Array, budget: Budget): Generator<Content> {
  const all = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  for (let at = all.indexOf('stream'); at >= 0; at = all.indexOf('stream', at + 6)) {
    const end = all.indexOf('endstream', at)
    if (end < 0) return
    const start = at + 6 + (all[at + 6] === 13 ? 2 : 1)
    at = end
    try {
      const inner = zlib.inflateSync(all.subarray(start, end), {
        maxOutputLength: entryMax,
        finishFlush: zlib.constants.Z_SYNC_FLUSH,
      })
      spend(budget, inner.length)
      yield { path, bytes: inner }
    } catch (error) {
      if (error instanceof TooMuch) throw error
    }
  }
}

/** The readable text of a file in another encoding: UTF-16, or a document's text without the marks between its letters. */
function readableText(path: string, bytes: Uint8Array): Uint8Array | undefined {
  const [first, second] = bytes
  if ((first === 0xff && second === 0xfe) || (first === 0xfe && second === 0xff))
    return Buffer.from(new TextDecoder(first === 0xff ? 'utf-16le' : 'utf-16be').decode(bytes))
  if (!/ › .*\.xml$/.test(path)) return undefined
  return Buffer.from(
    Buffer.from(bytes)
      .toString('utf8')
      // A mark holds none of its own (XML 1.0, 2.4).
      .replace(/<[^<>]*>/g, ''),
  )
}
