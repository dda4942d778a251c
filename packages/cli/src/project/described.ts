import type { Legend } from 'mappa'
import { entriesOf } from 'mappa/command'
import { textIn } from './made-file.js'
import type { SoundProject } from './project.js'

/**
 * The project's legend, in which an entry without a description has what the comment above it says. Comments are gone when
 * a legend runs, so its text is read for them; the parser is loaded only where a description is missing.
 */
export async function described({ root, legendFile, definition }: SoundProject): Promise<Legend> {
  const entries = Object.entries(entriesOf(definition))
  if (legendFile.endsWith('.json') || entries.every(([, { description }]) => description !== undefined))
    return definition
  const { declaredIn } = await import('../declared/legend-text.js')
  const comments = new Map(declaredIn(legendFile, textIn(root, legendFile) ?? '').variables)
  const filled = entries.map(([name, entry]) => {
    const description = entry.description ?? comments.get(name)
    return [name, description ? { ...entry, description } : entry]
  })
  return { ...definition, entries: Object.fromEntries(filled) as Legend['entries'] }
}
