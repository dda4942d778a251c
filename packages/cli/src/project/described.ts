import { entriesOf, type Legend } from 'mappa'
import { textIn } from './made-file.js'
import type { SoundProject } from './project.js'

/**
 * The project's legend, in which an entry without a description has what the comment above it says. Comments are gone when
 * a legend runs, so its text is read for them; the parser is loaded only where a description is missing.
 */
export async function described({ root, legendFile, definition }: SoundProject): Promise<Legend> {
  const isWhole = Object.values(entriesOf(definition)).every(({ description }) => description !== undefined)
  if (legendFile.endsWith('.json') || isWhole) return definition
  const { withComments } = await import('../declared/legend-text.js')
  return withComments(definition, legendFile, textIn(root, legendFile) ?? '')
}
