import { createTwoFilesPatch } from 'diff'
import { printable } from 'mappa'
import { Needles, withoutCredentials } from 'mappa/command'
import type { Terminal } from './terminal.js'

/** The change of one file. */
export interface FileChange {
  /** From the root. */
  readonly path: string
  /** Null if it is not there yet. */
  readonly before: string | null
  readonly after: string
}

/** A unified diff, with these texts masked. */
export function diffText(
  changes: readonly FileChange[],
  hidden: readonly string[],
  { paint }: Pick<Terminal, 'paint'>,
): string {
  // A hidden text may have another spelling, and lines around a change have text that does not move.
  const needles = new Needles()
  for (const text of hidden) needles.add(text, '')
  return (
    changes
      .map(({ path, before, after }) =>
        createTwoFilesPatch(path, path, before ?? '', after, undefined, undefined, { context: 2 }),
      )
      .map((patch) => withoutCredentials(needles.mask(maskedPatch(patch.replace(/^Index: .*\n=+\n/, ''), hidden))))
      .flatMap((patch) => patch.split('\n'))
      // Files may hold what a terminal would obey; tabs are only their indentation.
      .map((line) => line.split('\t').map(printable).join('\t'))
      .map((line) => (/^\+(?!\+\+ )/.test(line) ? paint.bold(line) : /^-(?!-- )/.test(line) ? paint.dim(line) : line))
      .join('\n')
  )
}

/** A patch with those masked, but for the lines that only say where it is: a secret may be as short as a number there. */
function maskedPatch(patch: string, hidden: readonly string[]): string {
  return patch
    .split(/^(@@ -[0-9,]+ \+[0-9,]+ @@.*\n)/m)
    .map((part, at) => (at % 2 === 1 ? part : withoutTexts(part, hidden)))
    .join('')
}

/** A text with those masked. A short one may be a part of a word that says something else. */
export function withoutTexts(text: string, hidden: readonly string[]): string {
  return hidden.reduce(
    (shown, secret) =>
      secret.length < 8
        ? shown.replace(new RegExp(`(?<!\\w)${escapedPattern(secret)}(?!\\w)`, 'g'), '(secret)')
        : shown.replaceAll(secret, '(secret)'),
    text,
  )
}

function escapedPattern(text: string): string {
  return text.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&')
}
