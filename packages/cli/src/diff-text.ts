import { createTwoFilesPatch } from 'diff'
import { printable } from 'mappa'
import { withoutTexts } from './lift/hidden.js'
import type { Terminal } from './terminal.js'

/** How one file would change. */
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
  return (
    changes
      .map(({ path, before, after }) =>
        createTwoFilesPatch(path, path, before ?? '', after, undefined, undefined, { context: 2 }),
      )
      .map((patch) => withoutTexts(patch.replace(/^Index: .*\n=+\n/, ''), hidden))
      .flatMap((patch) => patch.split('\n'))
      // Files may hold what a terminal would obey; tabs are only their indentation.
      .map((line) => line.split('\t').map(printable).join('\t'))
      .map((line) => (/^\+(?!\+\+ )/.test(line) ? paint.bold(line) : /^-(?!-- )/.test(line) ? paint.red(line) : line))
      .join('\n')
  )
}
