import { join, relative, sep } from 'node:path'
import { bytesAt } from 'mappa/command'
import type { Life } from '../guard/findings.js'
import { eachKeyHint } from '../guard/key-hints.js'
import { keyShapesIn } from '../guard/key-shapes.js'
import { type KnownSecrets, secretsInBytes } from '../guard/known-secrets.js'
import { git } from './git.js'
import { eachAddition, eachVersion, lifeOf } from './history.js'

/** A text in a file: of a variable, or of the shape of a key. */
export interface TextHeld {
  /** Path from the root. */
  readonly path: string
  /** The variable, if it is a known secret. */
  readonly name: string | undefined
  /** What it looks like, if it is none. */
  readonly what: string | undefined
  readonly line: number
}

/** Larger files are data, of which only known secrets are looked for. Bytes. */
const shapedMax = 4 * 1024 * 1024

/** What a file's content holds, each variable once, and each shape by its line. */
export function heldIn(path: string, bytes: Uint8Array, secrets: KnownSecrets): TextHeld[] {
  const known = secretsInBytes(bytes, secrets).flatMap(({ name, offset }) =>
    mayHaveMadeUp.test(path) && isKeptLine(lineTextAt(bytes, offset))
      ? []
      : [{ path, name, what: undefined, line: lineNumber(bytes, offset) }],
  )
  return [...known, ...shapesIn(path, bytes, secrets)]
}

/** Layers in which made-up secrets have their place. */
const mayHaveMadeUp = /(?:^|\/)\.env\.(?:development|test)$/

function lineTextAt(bytes: Uint8Array, offset: number): string {
  const [start, end] = [bytes.lastIndexOf(10, offset) + 1, bytes.indexOf(10, offset)]
  return Buffer.from(bytes.subarray(start, end < 0 ? bytes.length : end)).toString('utf8')
}

function shapesIn(path: string, bytes: Uint8Array, secrets: KnownSecrets): TextHeld[] {
  if (bytes.length > shapedMax || isPassedOver(path) || bytes.subarray(0, 8000).includes(0)) return []
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('latin1')
  return keyShapesIn(text).flatMap(({ start, end, what }) => {
    const line = text.slice(text.lastIndexOf('\n', start) + 1, end + 200).split('\n', 1)[0] as string
    // What is known is told by its name.
    if (isKeptLine(line) || secrets.needles.in(text.slice(start, end)).length > 0) return []
    return [{ path, name: undefined, what, line: lineNumber(bytes, start) }]
  })
}

/** What is made by programs, and what says what keys look like. */
function isPassedOver(path: string): boolean {
  return /(?:^|\/)(?:package-lock\.json|yarn\.lock|pnpm-lock\.yaml|composer\.lock|Cargo\.lock|poetry\.lock|go\.sum|mappa\.legend\.\w+|\.env\.example|\.env(?:\.[a-z][a-z0-9-]*)?\.local)$/.test(
    path,
  )
}

function isKeptLine(line: string): boolean {
  return /mappa keep:\s*\S/.test(line)
}

function lineNumber(bytes: Uint8Array, offset: number): number {
  let line = 1
  for (let at = bytes.indexOf(10); at >= 0 && at < offset; at = bytes.indexOf(10, at + 1)) line++
  return line
}

/** Files of a root that version control has or would take, by their paths from there, as they are on the disk. */
export function takenFiles(root: string): readonly string[] | undefined {
  return git(root, ['ls-files', '-z', '--cached', '--others', '--exclude-standard', '--deduplicate'])
    ?.split('\0')
    .filter((path) => path !== '' && !path.endsWith('/'))
}

/** What one file on the disk holds. */
export function heldInFile(root: string, path: string, secrets: KnownSecrets): TextHeld[] {
  const bytes = bytesAt(join(root, path))
  return bytes ? heldIn(path, bytes, secrets) : []
}

/** A text in a history, with its life there. */
export interface TextKept extends TextHeld {
  readonly life: Life
}

/** So many paths are looked at a second time, for the commits that brought and took away what they hold. */
const pathsMax = 500

/**
 * What a history holds: first what commits have added, for the paths that hold something, then each version of those. `told`
 * gets the number of commits so far.
 */
export async function heldInHistory(
  root: string,
  secrets: KnownSecrets,
  since: string | undefined,
  told: (count: number) => void,
): Promise<readonly TextKept[]> {
  const top = git(root, ['rev-parse', '--show-toplevel'])?.trim() ?? root
  const paths = new Set<string>()
  const mayHold = holding(secrets)
  const look = (path: string, added: Buffer) => {
    if (!paths.has(path) && !isLocalName(path) && mayHold(added)) paths.add(path)
  }
  await eachAddition(root, since, look, told)
  const kept: TextKept[] = []
  for (const path of [...paths].sort().slice(0, pathsMax))
    kept.push(...(await livesOf(root, top, path, secrets, since)))
  return kept
}

/** So far a line is looked at on each side. Bytes. */
const besideMax = 600
/** So many lines are remembered of which it is known that they hold no key. */
const linesMax = 100_000

/** Tells whether bytes hold a known secret, or a key by its shape. */
function holding(secrets: KnownSecrets): (bytes: Buffer) => boolean {
  const plain = new Set<string>()
  return (bytes) => {
    if (secrets.needles.inBytes(bytes).length > 0) return true
    let isFound = false
    eachKeyHint(bytes, (offset) => {
      const start = Math.max(bytes.lastIndexOf(10, offset) + 1, offset - besideMax)
      const newline = bytes.indexOf(10, offset)
      const line = bytes.toString('latin1', start, Math.min(newline < 0 ? bytes.length : newline, offset + besideMax))
      if (plain.has(line)) return true
      isFound = keyShapesIn(line).length > 0
      if (plain.size >= linesMax) plain.clear()
      if (!isFound) plain.add(line)
      return !isFound
    })
    return isFound
  }
}

/** This machine's own layers are told as such. */
function isLocalName(path: string): boolean {
  return /(?:^|\/)\.env(?:\.[a-z][a-z0-9-]*)?\.local$/.test(path)
}

async function livesOf(
  root: string,
  top: string,
  path: string,
  secrets: KnownSecrets,
  since: string | undefined,
): Promise<TextKept[]> {
  const shown = relative(root, join(top, path)).replaceAll(sep, '/')
  const versions = new Map<string, { readonly held: TextHeld; readonly ids: Set<string> }>()
  let parts: Uint8Array[] = []
  await eachVersion(root, path, since, ({ id, bytes, isLast }) => {
    parts.push(bytes)
    if (!isLast) return
    const whole = Buffer.concat(parts)
    parts = []
    for (const held of heldIn(shown, whole, secrets)) {
      const key = `${held.name ?? ''} ${held.what ?? ''}`
      const known = versions.get(key) ?? { held, ids: new Set<string>() }
      known.ids.add(id)
      versions.set(key, known)
    }
  })
  return [...versions.values()].flatMap(({ held, ids }) => {
    const life = lifeOf(root, path, ids)
    return life ? [{ ...held, life }] : []
  })
}
