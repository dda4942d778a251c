import { closeSync, openSync, readSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { bytesAt, pathFrom } from 'mappa/command'
import { isContainerFile } from '../../code/compose.js'
import { composePasswordsIn } from '../../credentials/compose-passwords.js'
import { eachKeyHint } from '../../credentials/key-hints.js'
import { keyShapesIn, LineWindows } from '../../credentials/key-shapes.js'
import { git } from '../../project/git/git.js'
import { stagedPaths } from '../../project/git/repository.js'
import { type ChangedLines, patchOptions, readChanges } from './changed-lines.js'
import type { Lifespan } from './findings.js'
import { type Commit, commitsOf, eachChange, eachMessage, remotesWith } from './history.js'
import { type KnownSecrets, secretsInBytes } from './known-secrets.js'

/** A text in a file: of a variable, or of the shape of a key. */
export interface TextHeld {
  /** Path from the root. */
  readonly path: string
  /** The variable, if it is a known secret. */
  readonly name: string | undefined
  /** The shape it has, if it is not a known secret. */
  readonly what: string | undefined
  readonly line: number
  /** True if nobody elsewhere can use it: a notice. */
  readonly isHarmless?: boolean
}

/** Larger files are data, of which only known secrets are searched for. Bytes. */
const shapedMax = 4 * 1024 * 1024

/** Findings in a file's content: each variable once, each key shape by line. */
export function heldIn(path: string, bytes: Uint8Array, secrets: KnownSecrets): TextHeld[] {
  const known = secretsInBytes(bytes, secrets).flatMap(({ name, offset }) =>
    mayHaveMadeUp.test(path) && isKeptLine(lineTextAt(bytes, offset))
      ? []
      : [{ path, name, what: undefined, line: lineNumber(bytes, offset) }],
  )
  return [...known, ...shapesIn(path, bytes, secrets), ...passwordsIn(path, bytes)]
}

/** Passwords of containers that no shape tells. */
function passwordsIn(path: string, bytes: Uint8Array): TextHeld[] {
  if (!isContainerFile(path) || bytes.length > manifestMax) return []
  const text = Buffer.from(bytes).toString('latin1')
  const shapes = keyShapesIn(text)
  return composePasswordsIn(text).flatMap(({ start, end, what, isHarmless }) =>
    shapes.some((shape) => shape.start < end && start < shape.end) || isKeptLine(lineTextAt(bytes, start))
      ? []
      : [{ path, name: undefined, what, line: lineNumber(bytes, start), isHarmless }],
  )
}

/** Larger ones were not written by a person. Bytes. */
const manifestMax = 512 * 1024

/** Layers in which made-up secrets have their place. */
const mayHaveMadeUp = /(?:^|\/)\.env\.(?:development|test)$/

function lineTextAt(bytes: Uint8Array, offset: number): string {
  const [start, end] = [bytes.lastIndexOf(10, offset) + 1, bytes.indexOf(10, offset)]
  return Buffer.from(bytes.subarray(start, end < 0 ? bytes.length : end)).toString('utf8')
}

function shapesIn(path: string, bytes: Uint8Array, secrets: KnownSecrets): TextHeld[] {
  if (bytes.length > shapedMax || isPassedOver(path) || bytes.subarray(0, 8000).includes(0)) return []
  // Most files have nothing to look at closely.
  let isHinted = false
  eachKeyHint(bytes, () => {
    isHinted = true
    return false
  })
  if (!isHinted) return []
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('latin1')
  const windows = new LineWindows(text)
  return keyShapesIn(text).flatMap(({ start, end, what }) => {
    const window = windows.at(start)
    const line = text.slice(window.start, window.end)
    // A known secret is reported by name.
    if (isKeptLine(line) || secrets.needles.in(text.slice(start, end)).length > 0) return []
    return [{ path, name: undefined, what, line: lineNumber(bytes, start) }]
  })
}

/** Generated files, and files that describe key shapes. */
function isPassedOver(path: string): boolean {
  return /(?:^|\/)(?:package-lock\.json|yarn\.lock|pnpm-lock\.yaml|composer\.lock|Cargo\.lock|poetry\.lock|go\.sum|mappa\.legend\.\w+|\.env\.example|\.env(?:\.[a-z][a-z0-9-]*)?\.local)$/.test(
    path,
  )
}

function isKeptLine(line: string): boolean {
  return /mappa keep:\s*\S/.test(line)
}

/** The line of an offset, from 1. Findings of one file come one after another, mostly in order. */
function lineNumber(bytes: Uint8Array, offset: number): number {
  if (counted.bytes !== bytes || offset < counted.offset) counted = { bytes, offset: 0, line: 1 }
  let { line } = counted
  for (let at = bytes.indexOf(10, counted.offset); at >= 0 && at < offset; at = bytes.indexOf(10, at + 1)) line++
  counted = { bytes, offset, line }
  return line
}

let counted: { readonly bytes: Uint8Array; readonly offset: number; readonly line: number } = {
  bytes: new Uint8Array(),
  offset: 0,
  line: 1,
}

/** Files of a root that git has or would take, by their paths from there, as they are on the disk. */
export function takenFiles(root: string): readonly string[] | undefined {
  return git(root, ['ls-files', '-z', '--cached', '--others', '--exclude-standard', '--deduplicate'])
    ?.split('\0')
    .filter((path) => path !== '' && !path.endsWith('/'))
}

/** Findings in one file on the disk. */
export function heldInFile(root: string, path: string, secrets: KnownSecrets): TextHeld[] {
  const file = join(root, path)
  if ((statSync(file, { throwIfNoEntry: false })?.size ?? 0) > windowMax) return heldInWindows(file, path, secrets)
  const bytes = bytesAt(file)
  return bytes ? heldIn(path, bytes, secrets) : []
}

/** Larger files are looked at window by window. Bytes. */
const windowMax = 256 * 1024 * 1024
/** Each begins as the one before ends. Bytes. */
const besideMax = 600

/** Known secrets in a file that is too large to be held; the line is that of the window. */
function heldInWindows(path: string, shown: string, secrets: KnownSecrets): TextHeld[] {
  const found = new Map<string, TextHeld>()
  const handle = openSync(path, 'r')
  try {
    const window = Buffer.allocUnsafeSlow(windowMax)
    for (let at = 0, read = windowMax; read === windowMax; at += windowMax - besideMax) {
      read = readSync(handle, window, 0, windowMax, at)
      for (const { name } of secretsInBytes(window.subarray(0, read), secrets))
        found.set(name, { path: shown, name, what: undefined, line: 1 })
    }
  } finally {
    closeSync(handle)
  }
  return [...found.values()]
}

/** Findings in the lines that the next commit would add, also in files that git takes for binary. */
export async function heldInStaged(root: string, secrets: KnownSecrets): Promise<readonly TextHeld[]> {
  const mayHold = holding(secrets)
  const found = new Map<string, TextHeld>()
  const command = ['diff', '--cached', '--relative', '--diff-filter=ACMR', ...patchOptions] as const
  await readChanges(root, command, ({ path, bytes, isAdded, numbers }) => {
    if (!isAdded || !mayHold(bytes)) return
    for (const held of heldIn(path, bytes, secrets)) {
      const line = numbers[held.line - 1] ?? 1
      const key = `${path}\n${held.name ?? `${line}\n${held.what}`}`
      if (!found.has(key)) found.set(key, { ...held, line })
    }
  })
  // What a service is given counts with what it is for.
  for (const path of stagedPaths(root).filter(isContainerFile)) {
    const text = git(root, ['cat-file', 'blob', `:./${path}`])
    for (const held of text === undefined ? [] : passwordsIn(path, Buffer.from(text)))
      found.set(`${path}\n${held.line}\n${held.what}`, held)
  }
  return [...found.values()]
}

/** A text in a history, with its life there. */
export interface TextKept extends TextHeld {
  readonly life: Lifespan
  /** True if its path is a message's. */
  readonly isMessage?: boolean
}

/** An event of a text under a path in a commit. */
interface TextEvent {
  readonly commit: Commit
  readonly isAdded: boolean
}

/** Findings in a history, with the commits that added and removed them. `onCommit` gets the number of commits so far. */
export async function heldInHistory(
  root: string,
  secrets: KnownSecrets,
  since: string | undefined,
  onCommit: (count: number) => void,
): Promise<readonly TextKept[]> {
  const top = git(root, ['rev-parse', '--show-toplevel'])?.trim() ?? root
  const commits = commitsOf(root, since)
  const mayHold = holding(secrets)
  const texts = new Map<string, { readonly held: TextHeld; readonly events: TextEvent[] }>()
  const look = ({ commit: id, path, bytes, isAdded }: ChangedLines) => {
    const commit = commits.get(id)
    if (!commit || isLocalName(path) || !mayHold(bytes)) return
    const shown = pathFrom(root, join(top, path))
    for (const held of heldIn(shown, bytes, secrets)) {
      const key = `${shown}\n${held.name ?? ''}\n${held.what ?? ''}`
      const known = texts.get(key) ?? { held, events: [] }
      known.events.push({ commit, isAdded })
      texts.set(key, known)
    }
  }
  await eachChange(root, commits.keys(), look, onCommit)
  const told: TextKept[] = []
  await eachMessage(root, since, ({ of, id, bytes }) => {
    if (!mayHold(bytes)) return
    const commit = commits.get(id)
    const path = `message of ${of} ${of === 'tag' ? id : `${id.slice(0, 7)} (${commit?.date})`}`
    const first = { id: id.slice(0, shortLength), date: commit?.date ?? '' }
    const remotes = of === 'tag' ? [] : remotesWith(root, id)
    for (const held of heldIn(path, bytes, secrets))
      told.push({ ...held, life: { first, last: first, remotes }, isMessage: true })
  })
  const kept = [...texts.values()].flatMap(({ held, events }) => {
    const life = lifespanFrom(root, events, commits)
    return life ? [{ ...held, life }] : []
  })
  return [...told, ...kept].sort((one, other) => (one.path < other.path ? -1 : one.path > other.path ? 1 : 0))
}

/** Characters of a commit's id in reports. */
const shortLength = 9

/** From what commits did to a text: the first that brought it, and the last that had it. */
function lifespanFrom(
  root: string,
  events: readonly TextEvent[],
  commits: ReadonlyMap<string, Commit>,
): Lifespan | undefined {
  const first = events.filter(({ isAdded }) => isAdded).sort((a, b) => b.commit.order - a.commit.order)[0]?.commit
  if (!first) return undefined
  const latest = events.reduce((least, { commit }) => Math.min(least, commit.order), Number.POSITIVE_INFINITY)
  // A commit that takes a line away and adds it elsewhere keeps it.
  const last = events.filter(({ commit }) => commit.order === latest)
  const gone = last.some(({ isAdded }) => isAdded) ? undefined : last[0]?.commit
  const before = gone?.parent === undefined ? undefined : commits.get(gone.parent)
  const named = ({ id, date }: Commit) => ({ id: id.slice(0, shortLength), date })
  return { first: named(first), last: before && named(before), remotes: remotesWith(root, first.id) }
}

/** Cache size for lines known to hold no key. */
const linesMax = 100_000

/** Tells whether bytes hold a known secret, or a key by its shape. */
function holding(secrets: KnownSecrets): (bytes: Buffer) => boolean {
  const plain = new Set<string>()
  return (bytes) => {
    if (secrets.needles.inBytes(bytes).length > 0) return true
    let isFound = false
    let last = -1
    const windows = new LineWindows(bytes)
    eachKeyHint(bytes, (offset) => {
      const { start, end } = windows.at(offset)
      if (start === last) return true
      last = start
      const line = bytes.toString('latin1', start, end)
      if (plain.has(line)) return true
      isFound = keyShapesIn(line).length > 0
      if (plain.size >= linesMax) plain.clear()
      if (!isFound) plain.add(line)
      return !isFound
    })
    return isFound
  }
}

/** This machine's own layers are named as such. */
function isLocalName(path: string): boolean {
  return /(?:^|\/)\.env(?:\.[a-z][a-z0-9-]*)?\.local$/.test(path)
}
