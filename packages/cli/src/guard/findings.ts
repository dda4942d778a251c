import type { Fault } from 'mappa'
import { printable } from 'mappa/command'
import { type KnownSecrets, type SecretAt, type SecretFound, secretsIn } from './known-secrets.js'

/** A layer of this machine that version control has, or would take. */
export function notIgnored(path: string, tracked: boolean): Fault {
  return {
    kind: 'not-ignored',
    message: `${path} belongs to this machine, and version control ${tracked ? 'has it' : 'would take it'}.`,
    place: { file: path, line: 1, column: 1, endColumn: 2 },
    remedy: tracked
      ? `Type: git rm --cached ${path}, then mappa init, and replace every secret in it: history keeps them.`
      : 'Type: mappa init, which writes the rules .env.local and .env.*.local into .gitignore',
  }
}

/** A secret in what version control has, or is about to get. */
export function inVersionControl(path: string, { name, line }: SecretFound, staged: boolean): Fault {
  return {
    kind: 'secret-tracked',
    name,
    message: `${printable(path)} holds the text of ${name}, and ${staged ? 'is about to be committed' : 'version control has it'}.`,
    place: { file: path, line, column: 1, endColumn: 2 },
    remedy: staged
      ? 'Take it out before the commit, and read it from settings.'
      : `Take it out, read it from settings, and replace it (mappa fill ${name} --replace): history keeps it.`,
  }
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

/** What files hold of known secrets. */
export function foundInFiles(
  files: Iterable<{ readonly path: string; readonly text: string }>,
  secrets: KnownSecrets,
  isLocal: (path: string) => boolean,
): { readonly path: string; readonly found: readonly SecretFound[] }[] {
  const all: { path: string; found: readonly SecretFound[] }[] = []
  for (const { path, text } of files) {
    if (isLocal(path)) continue
    const found = secretsIn(text, secrets)
    if (found.length > 0) all.push({ path, found })
  }
  return all
}
