import { paragraph } from '../../terminal/paragraph.js'

/** Reads of a variable, and the last change of its winning line. */
export interface Origins {
  /** `src/server.ts:12` */
  readonly takers: readonly string[]
  /** The line, `.env.staging:3`; undefined if no layer file gives the value. */
  readonly line: string | undefined
  readonly changed: { readonly commit: string | null; readonly date: string; readonly author: string } | undefined
}

/** At most this many places of code are listed. */
const takersMax = 10

/** The lines below a trail. */
export function originText(origins: Origins | undefined, width: number): string {
  if (!origins) return ''
  const { takers, line, changed } = origins
  const more = takers.length > takersMax ? ` and ${takers.length - takersMax} more` : ''
  const lines = [
    ...(changed && line
      ? [
          changed.commit === null
            ? `${line} is not committed.`
            : `${line}: last changed ${changed.date} by ${changed.author} (${changed.commit}).`,
        ]
      : []),
    ...(takers.length > 0 ? [`Read in ${takers.slice(0, takersMax).join(', ')}${more}.`] : []),
  ]
  return lines.length === 0 ? '' : `\n\n${lines.map((each) => paragraph(each, width)).join('\n')}`
}
