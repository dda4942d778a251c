import { printable, variablesOf } from 'mappa'
import { ownStages, type SoundProject, surveyProject } from '../project/project.js'
import { UsageError } from '../terminal/usage-error.js'
import { bundleTexts } from './bundle-texts.js'

/** A value that a bundle holds, and the stages whose layers give it. */
export interface BundledValue {
  readonly name: string
  readonly file: string
  readonly stages: readonly string[]
}

/** Shorter values, and such as many texts hold, say nothing about a stage. Characters. */
const lengthMin = 4

/** The values of variables fixed at build that a bundle holds, for each variable whose value differs by stage. */
export async function bundledValues(project: SoundProject, folder: string): Promise<readonly BundledValue[]> {
  const texts = bundleTexts(project.root, folder)
  if (texts === undefined)
    throw new UsageError(`--bundle names ${printable(folder)}, which is not a folder or file that can be read.`)
  const byName = new Map<string, Map<string, string[]>>()
  for (const stage of ownStages(project)) {
    const { found } = await surveyProject(project, { stage, stageFrom: 'the legend', environment: {}, elsewhere: true })
    for (const { name, fixed, secret } of variablesOf(project.definition, stage)) {
      const text = found.texts.get(name)
      if (fixed !== 'build' || secret || text === undefined || text.length < lengthMin) continue
      const values = byName.get(name) ?? new Map<string, string[]>()
      values.set(text, [...(values.get(text) ?? []), stage])
      byName.set(name, values)
    }
  }
  return [...byName].flatMap(([name, values]) =>
    values.size < 2
      ? []
      : [...values].flatMap(([text, stages]): BundledValue[] => {
          const file = texts.find((each) => spellingsOf(text).some((spelling) => each.text.includes(spelling)))?.path
          // A value within another one is not known to stand there by itself.
          const isWithin = [...values.keys()].some((other) => other !== text && other.includes(text))
          return file === undefined || isWithin ? [] : [{ name, file, stages }]
        }),
  )
}

/** A text as it stands in code: as it is, and with what a string literal escapes. */
function spellingsOf(text: string): readonly string[] {
  const literal = JSON.stringify(text).slice(1, -1)
  return [...new Set([text, literal, text.replaceAll('/', '\\/')])]
}
