import { type Legend, toJsonSchema } from 'mappa'
import { digestOf, entriesOf, sourceWord } from 'mappa/command'
import { described } from '../project/described.js'
import { textIn } from '../project/made-file.js'
import { openSound, type ProjectOptions } from '../project/project.js'
import { jsonText, output, talk } from '../terminal/terminal.js'
import { exitCodes, UsageError } from '../terminal/usage-error.js'

/** Options of `mappa emit`. */
export interface EmitOptions extends ProjectOptions {
  readonly as: string
}

/** `mappa emit --as legend`: the legend as a JSON Schema document, which programs can read that do not run it. */
export async function emit(options: EmitOptions): Promise<{ exitCode: number; cause?: string | undefined }> {
  if (options.as !== 'legend') throw new UsageError('--as takes legend, for example: mappa emit --as legend')
  const project = await openSound(options, 'Nothing was written.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  const { root, legendFile } = project
  const definition = await described(project)
  const digest = digestOf(textIn(root, legendFile) ?? '')
  const document = {
    ...toJsonSchema(definition),
    ...(!legendFile.endsWith('.json') && { [sourceWord]: { file: legendFile, digest } }),
  }
  output().write(jsonText(document))
  const lost = functionsOf(definition)
  if (lost.length > 0) talk().write(`JSON cannot hold functions, so it lacks ${lost.join(', ')}.\n`)
  return { exitCode: exitCodes.fine }
}

/** What of a legend is no data. */
function functionsOf(definition: Legend): string[] {
  const { rules } = definition
  const words = Object.entries(entriesOf(definition)).flatMap(([name, entry]) =>
    ['read', 'schema'].filter((word) => word in entry).map((word) => `${word} of ${name}`),
  )
  return rules && Object.keys(rules).length > 0 ? [...words, 'the rules'] : words
}
