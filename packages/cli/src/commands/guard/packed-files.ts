import { join } from 'node:path'
import { gitStream } from '../../project/git/git.js'
import { brokenOff } from './changed-lines.js'
import { type Content, contentsOf, streamContents } from './contents.js'
import { endsOf } from './file-ends.js'
import type { KnownSecrets } from './known-secrets.js'
import { decodedText, packingOf, unopenedPacking, zipEnd } from './packings.js'
import { heldIn, type TextHeld } from './searched.js'

/** What is in the packed files of a project. */
export interface PackedFindings {
  readonly held: readonly PackedText[]
  /** What could not be looked into, and why. */
  readonly unread: readonly { readonly path: string; readonly why: string }[]
}

/** A text in a packed file, or in one of another encoding. */
export interface PackedText extends TextHeld {
  /** The file that git knows, from the root. */
  readonly file: string
}

/** Opens those files of a project that are packed or in another encoding, as they are on the disk. */
export function heldInPacked(root: string, paths: readonly string[], secrets: KnownSecrets): Promise<PackedFindings> {
  const outside = join(root, '/').length
  return openedFindings(
    paths.filter((path) => isPacked(root, path)),
    secrets,
    async function* (path) {
      for await (const each of contentsOf(join(root, path))) yield { ...each, path: each.path.slice(outside) }
    },
  )
}

/** The same as the next commit would have them. */
export function heldInStagedPacked(
  root: string,
  paths: readonly string[],
  secrets: KnownSecrets,
): Promise<PackedFindings> {
  return openedFindings(
    paths.filter((path) => isPacked(root, path)),
    secrets,
    async function* (path) {
      const command = ['cat-file', 'blob', `:./${path}`] as const
      const stream = gitStream(root, command)
      if (!stream) throw brokenOff(command, 'did not start')
      try {
        stream.input.end()
        let isRead = false
        const whole = async function* () {
          yield* stream.output
          isRead = true
        }
        yield* streamContents(path, whole())
        // One that is too large is not read to its end.
        const code = isRead ? await stream.ended : 0
        if (code !== 0) throw brokenOff(command, `ended with ${code ?? 'a signal'}`)
      } finally {
        stream.stop()
      }
    },
  )
}

async function openedFindings(
  paths: readonly string[],
  secrets: KnownSecrets,
  contents: (path: string) => AsyncIterable<Content>,
): Promise<PackedFindings> {
  const held = new Map<string, PackedText>()
  const unread: { path: string; why: string }[] = []
  for (const file of paths)
    for await (const { path, bytes, linesBefore, unread: why } of contents(file)) {
      if (why !== undefined) unread.push({ path, why })
      else
        for (const each of heldIn(path, bytes, secrets)) {
          const line = linesBefore + each.line
          const key = [path, each.name ?? `${line} ${each.what}`].join('\n')
          if (!held.has(key)) held.set(key, { ...each, line, file })
        }
    }
  return { held: [...held.values()], unread }
}

/** Tells by the ends of a file on the disk whether something is packed in it, or it is in another encoding. */
function isPacked(root: string, path: string): boolean {
  const ends = endsOf(join(root, path))
  if (ends === undefined) return false
  const { head, end } = ends
  return (packingOf(path, head) ?? unopenedPacking(head) ?? decodedText(head)) !== undefined || end.includes(zipEnd)
}
