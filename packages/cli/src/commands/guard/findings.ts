import { type Fault, type Notice, printable } from 'mappa'
import type { SecretAt } from './known-secrets.js'

/** A secret in what git has, or is about to get; with its life in the history, if that is known. */
export function inVersionControl(
  path: string,
  { name, line }: { readonly name: string; readonly line: number },
  state: 'staged' | 'tracked' | 'taken',
  life?: Lifespan,
  obtain?: string,
): Fault {
  const since = life === undefined ? '' : ` since ${commitText(life.first)}${onRemotes(life)}`
  return {
    kind: 'secret-tracked',
    name,
    message: `${printable(path)} contains the value of ${name} and ${state === 'staged' ? 'is staged' : state === 'taken' ? 'is not ignored by git' : `is tracked by git${since}`}.`,
    place: { file: path, line, column: 1, endColumn: 2 },
    remedy:
      state !== 'tracked'
        ? 'Remove it before you commit, and read it from settings.'
        : `Rotate it${issuer(obtain)}: git history keeps it. Then remove it, and read it from settings. Run: mappa fill ${name} --replace`,
  }
}

/** When a text came into a history, and when it went. */
export interface Lifespan {
  readonly first: { readonly id: string; readonly date: string }
  /** Undefined where it is still there. */
  readonly last: { readonly id: string; readonly date: string } | undefined
  /** Branches of others that have the first commit. */
  readonly remotes: readonly string[]
}

/** A secret that git had, and history keeps. */
export function inHistory(path: string, name: string, life: Lifespan, obtain: string | undefined): Fault {
  const { first, last } = life
  const isOne = last?.id === first.id
  const when = isOne
    ? `only in commit ${commitText(first)}`
    : `from commit ${commitText(first)}${last === undefined ? '' : ` to ${commitText(last)}`}`
  return {
    kind: 'secret-in-history',
    name,
    message: `The value of ${name} is in git history: ${printable(path)}, ${when}${onRemotes(life)}.`,
    layer: path,
    remedy: `Rotate it${issuer(obtain)}. Rewriting history does not help once anyone has fetched it. Run: mappa fill ${name} --replace`,
  }
}

/** A secret in the message of a commit or a tag, which is passed on with it. */
export function inMessage(where: string, name: string | undefined, what: string, life: Lifespan): Fault {
  const held = name === undefined ? `what looks like ${what}` : `the value of ${name}`
  return {
    kind: name === undefined ? 'key-shaped' : 'secret-in-history',
    ...(name !== undefined && { name }),
    message: `The ${printable(where)} contains ${held}${onRemotes(life)}.`,
    layer: where,
    remedy:
      name === undefined
        ? 'Rotate it where it was issued. If it is not a key, accept it in mappa.accepted.json, with because and until.'
        : `Rotate it. Rewriting the message does not help once anyone has fetched it. Run: mappa fill ${name} --replace`,
  }
}

/** The fault for a text with the shape of a key, in a file or in history. */
export function keyShaped(
  path: string,
  line: number,
  what: string,
  life: Lifespan | undefined,
  isThere: boolean,
): Fault {
  const since =
    life === undefined ? '' : isThere ? `, since ${commitText(life.first)}` : `, from ${commitText(life.first)}`
  const where = isThere || life === undefined ? printable(path) : `Git history of ${printable(path)}`
  return {
    kind: 'key-shaped',
    message: `${where} contains what looks like ${what}${since}${life ? onRemotes(life) : ''}.`,
    ...(isThere ? { place: { file: path, line, column: 1, endColumn: 2 } } : { layer: path }),
    remedy: isThere
      ? 'Move it to a layer, and rotate it if others have the file. If it is not a key, write on its line: mappa keep: reason Run: mappa lift'
      : 'Rotate it where it was issued. If it is not a key, accept it in mappa.accepted.json, with because and until.',
  }
}

function commitText({ id, date }: Lifespan['first']): string {
  return `${id.slice(0, 7)} (${date})`
}

function onRemotes({ remotes }: Lifespan): string {
  if (remotes.length === 0) return ''
  const more = remotes.length > 2 ? ` and ${remotes.length - 2} more` : ''
  return `, also on ${remotes.slice(0, 2).map(printable).join(', ')}${more}`
}

function issuer(obtain: string | undefined): string {
  return obtain === undefined ? '' : ` where it was issued (${printable(obtain)})`
}

/** A password of a container that opens something only where others cannot reach it, or that everyone tries first. */
export function plainPassword(path: string, line: number, what: string): Notice {
  return {
    kind: 'key-shaped',
    message: `${printable(path)} contains ${what.replace('a password', 'a password for this machine')}.`,
    place: { file: path, line, column: 1, endColumn: 2 },
    remedy: 'Give the service another one wherever others can reach it. Run: mappa lift',
  }
}

/** A file with secrets in what is handed to others. */
export function inPackage(path: string, into: 'package' | 'image', name: string | undefined): Fault {
  const what =
    name === undefined ? `${printable(path)} is for this machine` : `${printable(path)} contains the value of ${name}`
  return {
    kind: 'secret-packed',
    ...(name !== undefined && { name }),
    message: `${what}, but ${into === 'package' ? 'the published package includes it' : 'the container image may include it'}.`,
    place: { file: path, line: 1, column: 1, endColumn: 2 },
    remedy:
      into === 'package'
        ? 'List the package\'s files under "files" in package.json, or exclude it in .npmignore.'
        : 'Write .env.local and .env.*.local in .dockerignore. Run: mappa init',
  }
}

/** A secret in what is given to browsers or to others. */
export function inBundle(path: string, { name, offset }: SecretAt): Fault {
  return {
    kind: 'leak',
    name,
    message: `${printable(path)} contains the value of ${name}, at byte ${offset}.`,
    layer: path,
    remedy: `Find where the build takes it from, and keep that on the server. If this was published, rotate it. Run: mappa fill ${name} --replace`,
  }
}

/** A file, or one in an archive, that could not be looked into. */
export function notSearched(path: string, why: string) {
  return {
    kind: 'not-searched' as const,
    message: `${printable(path)} was not searched: ${why}.`,
    layer: path,
    remedy: `Unpack it and search that, or accept it in mappa.accepted.json: { "kind": "not-searched", "path": "…", "because": "…" }`,
  }
}

/** A secret in what is about to be handed to others. */
export function shared(path: string, line: number, name: string): Fault {
  return {
    kind: 'secret-packed',
    name,
    message: `${printable(path)} contains the value of ${name}.`,
    place: { file: path, line, column: 1, endColumn: 2 },
    remedy: `Remove it before you share the file. If others have it, rotate it. Run: mappa fill ${name} --replace`,
  }
}
