import { type Fault, printable } from 'mappa'
import type { SecretAt } from './known-secrets.js'

/** A secret in what version control has, or is about to get; with its life in the history, if that is known. */
export function inVersionControl(
  path: string,
  { name, line }: { readonly name: string; readonly line: number },
  state: 'staged' | 'tracked' | 'taken',
  life?: Life,
  obtain?: string,
): Fault {
  const since = life === undefined ? '' : ` since ${commitText(life.first)}${onRemotes(life)}`
  return {
    kind: 'secret-tracked',
    name,
    message: `${printable(path)} holds the text of ${name}, and ${state === 'staged' ? 'is about to be committed' : state === 'taken' ? 'version control would take it' : `version control has it${since}`}.`,
    place: { file: path, line, column: 1, endColumn: 2 },
    remedy:
      state !== 'tracked'
        ? 'Take it out before the commit, and read it from settings.'
        : `Take it out, read it from settings, and replace it${issuer(obtain)} (mappa fill ${name} --replace): history keeps it.`,
  }
}

/** When a text came into a history, and when it went. */
export interface Life {
  readonly first: { readonly id: string; readonly date: string }
  /** Undefined where it is still there. */
  readonly last: { readonly id: string; readonly date: string } | undefined
  /** Branches of others that have the first commit. */
  readonly remotes: readonly string[]
}

/** A secret that version control had, and history keeps. */
export function inHistory(path: string, name: string, life: Life, obtain: string | undefined): Fault {
  const { first, last } = life
  const until = last === undefined ? '' : last.id === first.id ? ' alone' : ` to ${commitText(last)}`
  const from = until === ' alone' ? 'in' : 'from'
  return {
    kind: 'secret-in-history',
    name,
    message: `${printable(path)} held the text of ${name} ${from} ${commitText(first)}${until}, and history keeps it${onRemotes(life)}.`,
    layer: path,
    remedy: `Replace it${issuer(obtain)}: mappa fill ${name} --replace. Taking it out of history helps only as long as nobody else has that.`,
  }
}

/** What looks like a key, in a file or in a history. */
export function keyShaped(path: string, line: number, what: string, life: Life | undefined, isThere: boolean): Fault {
  const when = life === undefined ? '' : isThere ? `, since ${commitText(life.first)}` : ''
  const held = isThere || life === undefined ? 'holds' : 'held'
  const kept = isThere || life === undefined ? '' : ` from ${commitText(life.first)}, and history keeps it`
  return {
    kind: 'key-shaped',
    message: `${printable(path)} ${held} what looks like ${what}${when}${kept}, and no entry of the legend knows it${life ? onRemotes(life) : ''}.`,
    ...(isThere ? { place: { file: path, line, column: 1, endColumn: 2 } } : { layer: path }),
    remedy: isThere
      ? 'Move it into a layer: mappa lift shows how; and replace it if others have the file. If it opens nothing, write on its line: mappa keep: reason'
      : 'Replace it where it was issued. If it opens nothing, name it in mappa.accepted.json, with because and until.',
  }
}

function commitText({ id, date }: Life['first']): string {
  return `${id} (${date})`
}

function onRemotes({ remotes }: Life): string {
  if (remotes.length === 0) return ''
  const more = remotes.length > 2 ? ` and ${remotes.length - 2} more` : ''
  return `; ${remotes.slice(0, 2).map(printable).join(', ')}${more} ${remotes.length > 1 ? 'have' : 'has'} it, too`
}

function issuer(obtain: string | undefined): string {
  return obtain === undefined ? '' : ` where it was issued (${printable(obtain)})`
}

/** A file with secrets in what is handed to others. */
export function handedOn(path: string, into: 'package' | 'image', name: string | undefined): Fault {
  const what =
    name === undefined ? `${printable(path)} belongs to this machine` : `${printable(path)} holds the text of ${name}`
  return {
    kind: 'secret-packed',
    ...(name !== undefined && { name }),
    message: `${what}, and would be ${into === 'package' ? 'in the published package' : "sent along with a container's build"}.`,
    place: { file: path, line: 1, column: 1, endColumn: 2 },
    remedy:
      into === 'package'
        ? 'Name what the package holds under "files" in package.json, or leave it out in .npmignore.'
        : 'Write the rules .env.local and .env.*.local into .dockerignore: mappa init does.',
  }
}

/** A secret in what is given to browsers or to others. */
export function inBundle(path: string, { name, offset }: SecretAt): Fault {
  return {
    kind: 'leak',
    name,
    message: `${printable(path)} carries the text of ${name}, at byte ${offset}.`,
    layer: path,
    remedy: `Find where the build takes it from, and keep that on the server. If it went out, replace it: mappa fill ${name} --replace`,
  }
}

/** A secret in what is about to be handed to others. */
export function shared(path: string, line: number, name: string): Fault {
  return {
    kind: 'secret-packed',
    name,
    message: `${printable(path)} holds the text of ${name}.`,
    place: { file: path, line, column: 1, endColumn: 2 },
    remedy: `Take it out before others get it. If they have it already, replace it: mappa fill ${name} --replace`,
  }
}
