import { entriesOf, type Legend, readLayer } from 'mappa'
import type { FileChange } from '../terminal/diff.js'

/**
 * Every value in changed layer files that may not be shown, also on the lines around a change: of secrets, however short, and of
 * undeclared names.
 */
export function hiddenValues(changes: readonly FileChange[], definition: Legend): readonly string[] {
  const entries = entriesOf(definition)
  const layers = changes.filter(
    ({ path }) => /(?:^|\/)\.env(?:\.[a-z][a-z0-9-]*)*$/.test(path) && !path.endsWith('.example'),
  )
  return layers
    .flatMap(({ before, after }) =>
      [before ?? '', after].flatMap((text) => {
        const layer = readLayer(text)
        const hidden = layer.names().filter((name) => !Object.hasOwn(entries, name) || entries[name]?.secret)
        // As they are written, too: every time, with what a quote or an escape makes of them.
        const ranges = layer.ranges()
        const written = hidden.flatMap((name) =>
          (ranges.get(name) ?? []).map((range) => text.slice(range.valueStart, range.valueEnd)),
        )
        return [...hidden.map((name) => layer.get(name) ?? ''), ...written].flatMap((value) => value.split('\n'))
      }),
    )
    .filter((value) => value.trim() !== '')
}
