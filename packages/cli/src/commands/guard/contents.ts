import { createReadStream, readdirSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import * as zlib from 'node:zlib'
import { createTarDecoder } from 'modern-tar'
import yauzl from 'yauzl'
import { endingMax, endsOf } from './file-ends.js'
import { decodedText, headBytes, type Packing, packingOf, unopenedPacking, zipEnd } from './packings.js'

/** A piece of a file, or of one that is packed in it: `notes.zip › notes/keys.txt`. */
export interface Content {
  readonly path: string
  readonly bytes: Uint8Array
  /** Lines and bytes of the file before this piece. */
  readonly linesBefore: number
  readonly bytesBefore: number
  /** Why some of it was not looked into. */
  readonly unread?: string
}

/** Archives in archives are opened so far. */
const depthMax = 6
/** Limit for the unpacked size of one file: more is an attack. Bytes. */
const unpackedMax = 4 * 1024 * 1024 * 1024
/** A piece that is searched at once, and how much of it the next one repeats. Bytes. */
const searchedMax = 16 * 1024 * 1024
const searchOverlap = 64 * 1024
/** What can only be opened as a whole, within another archive, is held up to here. Bytes. */
const heldMax = 64 * 1024 * 1024

type Chunks = AsyncIterable<Uint8Array>

/** The state of the search of one file on the disk. */
interface Budget {
  left: number
}

class TooMuch extends Error {
  override readonly message = 'it unpacks to too much data'
}

/**
 * A file, or every file below a folder, and whatever is packed in them: zip (documents, packages, books), tar (images of containers
 * with all of their layers), gzip, brotli, zstd where Node has it, and the streams of PDF. Links are not followed. What cannot be
 * looked into is said, and never more than a few pieces are held.
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

/** The same of one file that comes as a stream, such as an object of git. */
export async function* streamContents(path: string, source: AsyncIterable<Uint8Array>): AsyncGenerator<Content> {
  const held = await collected(source)
  const budget = { left: unpackedMax }
  try {
    if (!held.isWhole) yield notLookedInto(path, 'it is too large to be opened before a commit')
    if (held.isWhole && isZipped(path, held.bytes.subarray(0, headBytes), held.bytes.subarray(-endingMax))) {
      yield* pieces(path, [held.bytes])
      yield* zippedIn(path, held.bytes, 0, budget)
    } else yield* opened(path, asChunks([held.bytes]), 0, budget, false)
  } catch (error) {
    yield notLookedInto(path, whyNot(error))
  }
}

async function* fileContents(path: string): AsyncGenerator<Content> {
  const budget = { left: unpackedMax }
  try {
    const ends = endsOf(path)
    if (ends && isZipped(path, ends.head, ends.end)) {
      yield* pieces(path, createReadStream(path))
      yield* zipped(path, await yauzl.openPromise(path, zipOptions), 0, budget, (start, end) =>
        createReadStream(path, { start, end: end - 1 }),
      )
    } else yield* opened(path, createReadStream(path), 0, budget, false)
  } catch (error) {
    yield notLookedInto(path, whyNot(error))
    const { code } = error as NodeJS.ErrnoException
    // Some of it may stand there as it is.
    if (code !== 'EACCES' && code !== 'EPERM') yield* pieces(path, createReadStream(path))
  }
}

/** Tells whether a file is a zip, also one with something in front: a program that unpacks itself, or a page. */
function isZipped(path: string, head: Uint8Array, end: Buffer): boolean {
  // What follows behind these is told, and the last one in a tar may be a zip.
  return end.includes(zipEnd) && !/^(?:tar|gzip|zstd)$/.test(packingOf(path, head) ?? '')
}

function notLookedInto(path: string, why: string): Content {
  return { path, bytes: new Uint8Array(0), linesBefore: 0, bytesBefore: 0, unread: why }
}

function whyNot(error: unknown): string {
  const { code } = error as NodeJS.ErrnoException
  if (error instanceof TooMuch) return error.message
  return code === 'EACCES' || code === 'EPERM' ? 'you may not read it' : 'it is damaged'
}

/** The content of a stream, and what is packed in it, by what it begins with. */
async function* opened(
  path: string,
  source: Chunks,
  depth: number,
  budget: Budget,
  isCounted = true,
): AsyncGenerator<Content> {
  const { head, chunks } = await peeked(isCounted ? spent(source, budget) : source)
  const packing = packingOf(path, head)
  if (packing === undefined) {
    yield* pieces(path, chunks)
    const name = unopenedPacking(head)
    if (name !== undefined) yield notLookedInto(path, `it is packed with ${name}, which Mappa does not open`)
  } else if (depth >= depthMax) {
    yield* pieces(path, chunks)
    yield notLookedInto(path, 'it is nested too deep in other archives')
  } else yield* unpackings[packing](path, chunks, depth, budget)
}

/** How each packing is opened. */
const unpackings: Readonly<
  Record<Packing, (path: string, chunks: Chunks, depth: number, budget: Budget) => AsyncGenerator<Content>>
> = {
  async *zip(path, chunks, depth, budget) {
    const held = await collected(chunks)
    yield* pieces(path, [held.bytes])
    if (!held.isWhole) yield notLookedInto(path, 'it is too large for an archive within another one')
    else yield* zippedIn(path, held.bytes, depth, budget)
  },
  tar: tarred,
  gzip: (path, chunks, depth, budget) => decompressed(path, chunks, zlib.createGunzip(), depth, budget),
  brotli: (path, chunks, depth, budget) => decompressed(path, chunks, zlib.createBrotliDecompress(), depth, budget),
  async *zstd(path, chunks, depth, budget) {
    const { createZstdDecompress } = zlib as unknown as { createZstdDecompress?: () => zlib.Gunzip }
    if (createZstdDecompress) yield* decompressed(path, chunks, createZstdDecompress(), depth, budget)
    else yield notLookedInto(path, `it is packed with zstd, which Node ${process.versions.node} does not open`)
  },
  async *pdf(path, chunks, _, budget) {
    const held = await collected(chunks)
    yield* pieces(path, [held.bytes])
    if (!held.isWhole) yield notLookedInto(path, 'it is too large for a PDF')
    yield* inPdf(path, held.bytes, budget)
  },
}

/** What a compressed stream holds. What follows behind it, and is not a part of it, is said and searched as it is. */
async function* decompressed(
  path: string,
  chunks: Chunks,
  unpack: zlib.Gunzip | zlib.BrotliDecompress,
  depth: number,
  budget: Budget,
): AsyncGenerator<Content> {
  let read = 0
  const tail: Uint8Array[] = []
  const counted = async function* () {
    for await (const chunk of chunks) {
      read += chunk.length
      tail.push(chunk)
      if (tail.length > 2) tail.shift()
      yield chunk
    }
  }
  const source = Readable.from(counted())
  source.once('error', (error) => unpack.destroy(error))
  const name = (path.split(' › ').at(-1) as string).split('/').at(-1) as string
  yield* opened(`${path} › ${name.replace(/\.(?:gz|tgz|zst|br)$/, '')}`, source.pipe(unpack), depth + 1, budget)
  const behind = read - unpack.bytesWritten
  if (behind <= 0) return
  const last = Buffer.concat(tail)
  const junk = last.subarray(Math.max(0, last.length - behind))
  // Tapes and disks fill up their last block.
  if (junk.every((byte) => byte === 0)) return
  yield* pieces(path, [junk])
  yield notLookedInto(path, 'something follows behind what it unpacks to')
}

const zipOptions = { lazyEntries: true, decodeStrings: false, autoClose: true } as const
/** A hole in a zip is at most a descriptor behind an entry (APPNOTE 4.3.9). Bytes. */
const descriptorMax = 24

async function* zipped(
  path: string,
  file: yauzl.ZipFile,
  depth: number,
  budget: Budget,
  bytesIn: (start: number, end: number) => Chunks | Iterable<Uint8Array>,
): AsyncGenerator<Content> {
  const taken: { readonly start: number; readonly end: number }[] = []
  const directory = Number(file.readEntryCursor)
  for await (const entry of file.eachEntry()) {
    const inner = `${path} › ${entryName(entry)}`
    try {
      const { fileDataStart } = await file.readLocalFileHeaderPromise(entry, { minimal: true })
      taken.push({ start: entry.relativeOffsetOfLocalHeader, end: fileDataStart + entry.compressedSize })
      if (entry.isEncrypted()) yield notLookedInto(inner, 'it is encrypted')
      else if (!entry.canDecodeFileData()) yield notLookedInto(inner, 'it is packed in a way that Mappa does not open')
      else if (!inner.endsWith('/') || entry.uncompressedSize > 0)
        yield* opened(inner, await file.openReadStreamPromise(entry), depth + 1, budget)
    } catch (error) {
      if (error instanceof TooMuch) throw error
      yield notLookedInto(inner, whyNot(error))
    }
  }
  // What no entry of the directory names may be unpacked by other programs all the same.
  let at = 0
  for (const { start, end } of [...taken.sort((a, b) => a.start - b.start), { start: directory, end: directory }]) {
    const hole = start - at
    if (hole > descriptorMax && !(await isZero(bytesIn(at, start)))) {
      yield notLookedInto(path, `it holds ${hole} bytes that belong to no entry`)
      yield* opened(`${path} › byte ${at}`, asChunks(bytesIn(at, start)), depth + 1, budget)
    }
    at = Math.max(at, end)
  }
}

async function* zippedIn(path: string, bytes: Buffer, depth: number, budget: Budget): AsyncGenerator<Content> {
  yield* zipped(path, await yauzl.fromBufferPromise(bytes, zipOptions), depth, budget, (start, end) => [
    bytes.subarray(start, end),
  ])
}

async function isZero(chunks: Chunks | Iterable<Uint8Array>): Promise<boolean> {
  for await (const chunk of chunks) if (chunk.some((byte) => byte !== 0)) return false
  return true
}

async function* asChunks(chunks: Chunks | Iterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  yield* chunks
}

/** A name as the archive has it, also one that leads out of it: nothing is written there. */
function entryName({ fileNameRaw }: yauzl.Entry): string {
  return Buffer.from(fileNameRaw).toString('utf8')
}

async function* tarred(path: string, chunks: Chunks, depth: number, budget: Budget): AsyncGenerator<Content> {
  const bytes = Readable.toWeb(Readable.from(chunks)) as ReadableStream<Uint8Array>
  try {
    for await (const { header, body } of bytes.pipeThrough(createTarDecoder({ strict: true }))) {
      const inner = `${path} › ${header.name}`
      if (header.type === 'file') {
        try {
          yield* opened(inner, body as unknown as Chunks, depth + 1, budget, false)
          continue
        } catch (error) {
          if (error instanceof TooMuch) throw error
          yield notLookedInto(inner, whyNot(error))
        }
      }
      if (!body.locked) await body.cancel()
    }
  } catch (error) {
    if (error instanceof TooMuch) throw error
    yield notLookedInto(path, whyNot(error))
  }
}

/** The compressed streams of a PDF (ISO 32000-1, 7.3.8); what is drawn letter by letter is not a text in it. */
function* inPdf(path: string, all: Buffer, budget: Budget): Generator<Content> {
  if (all.includes('/Encrypt')) yield notLookedInto(path, 'it is encrypted')
  for (let at = all.indexOf('stream'); at >= 0; at = all.indexOf('stream', at + 6)) {
    const end = all.indexOf('endstream', at)
    if (end < 0) return
    const before = all.toString('latin1', Math.max(0, at - 2048), at)
    const isPacked = before.slice(before.lastIndexOf('obj')).includes('/FlateDecode')
    const start = at + 6 + (all[at + 6] === 13 ? 2 : 1)
    at = end
    if (!isPacked) continue
    try {
      const options = { maxOutputLength: heldMax, finishFlush: zlib.constants.Z_SYNC_FLUSH }
      const inner = zlib.inflateSync(all.subarray(start, end), options)
      spend(budget, inner.length)
      yield { path, bytes: inner, linesBefore: 0, bytesBefore: 0 }
    } catch (error) {
      if (error instanceof TooMuch) throw error
      const isLarge = (error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE'
      // It was unpacked so far all the same.
      if (isLarge) spend(budget, heldMax)
      yield notLookedInto(path, isLarge ? 'a stream in it unpacks to too much data' : 'a stream in it is damaged')
    }
  }
}

function spend(budget: Budget, bytes: number): void {
  budget.left -= bytes
  if (budget.left < 0) throw new TooMuch()
}

async function* spent(source: Chunks, budget: Budget): AsyncGenerator<Uint8Array> {
  for await (const chunk of source) {
    spend(budget, chunk.length)
    yield chunk
  }
}

/** The beginning of a stream, and all of it. */
async function peeked(source: Chunks): Promise<{ readonly head: Uint8Array; readonly chunks: Chunks }> {
  const iterator = source[Symbol.asyncIterator]()
  const first: Uint8Array[] = []
  let length = 0
  while (length < headBytes) {
    const { value, done } = await iterator.next()
    if (done) break
    first.push(value)
    length += value.length
  }
  const chunks = async function* () {
    try {
      yield* first
      for (let next = await iterator.next(); !next.done; next = await iterator.next()) yield next.value
    } finally {
      await iterator.return?.()
    }
  }
  return { head: Buffer.concat(first).subarray(0, headBytes), chunks: chunks() }
}

/** A stream in pieces that can be searched, each with the end of the one before; also as text, if it is in another encoding. */
async function* pieces(path: string, chunks: Chunks | Iterable<Uint8Array>): AsyncGenerator<Content> {
  let [parts, length, linesBefore, bytesBefore] = [[] as Uint8Array[], 0, 0, 0]
  const piece = function* (bytes: Buffer): Generator<Content> {
    const place = { path, linesBefore, bytesBefore }
    yield { ...place, bytes }
    const text = readableText(path, bytes)
    if (text) yield { ...place, bytes: text }
  }
  for await (const chunk of chunks) {
    parts.push(chunk)
    length += chunk.length
    if (length < searchedMax) continue
    const bytes = Buffer.concat(parts)
    yield* piece(bytes)
    const kept = bytes.length - searchOverlap
    bytesBefore += kept
    linesBefore += lineEnds(bytes.subarray(0, kept))
    parts = [bytes.subarray(kept)]
    length = searchOverlap
  }
  if (length > 0) yield* piece(Buffer.concat(parts))
}

function lineEnds(bytes: Uint8Array): number {
  let count = 0
  for (let at = bytes.indexOf(10); at >= 0; at = bytes.indexOf(10, at + 1)) count++
  return count
}

async function collected(chunks: Chunks): Promise<{ readonly bytes: Buffer; readonly isWhole: boolean }> {
  const parts: Uint8Array[] = []
  let length = 0
  for await (const chunk of chunks) {
    length += chunk.length
    if (length > heldMax) return { bytes: Buffer.concat(parts), isWhole: false }
    parts.push(chunk)
  }
  return { bytes: Buffer.concat(parts), isWhole: true }
}

/** The readable text of a file in another encoding, or of a document without the marks between its letters. */
function readableText(path: string, bytes: Uint8Array): Uint8Array | undefined {
  const decoded = decodedText(bytes)
  if (decoded || !/ › .*\.xml$/.test(path)) return decoded
  return Buffer.from(
    Buffer.from(bytes)
      .toString('utf8')
      // A mark holds none of its own (XML 1.0, 2.4).
      .replace(/<[^<>]*>/g, ''),
  )
}
