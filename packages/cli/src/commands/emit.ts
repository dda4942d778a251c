import { resolve } from 'node:path'
import { type Legend, reportText, toJsonSchema, variablesOf } from 'mappa'
import { browserModule, digestOf, entriesOf, sourceWord, textAt, writeFiles } from 'mappa/command'
import { moduleHead, pageModule } from '../emit/module.js'
import { described } from '../project/described.js'
import { telling, textIn } from '../project/made-file.js'
import { faultsElsewhere, pageSurvey } from '../project/page-survey.js'
import { exitCodeFor, openSound, type ProjectOptions } from '../project/project.js'
import { handOver, jsonText, output, talk } from '../terminal/terminal.js'
import { exitCodes, UsageError } from '../terminal/usage-error.js'

/** Options of `mappa emit`. */
export interface EmitOptions extends ProjectOptions {
  readonly as: string
  /** The file that is written, instead of standard output. */
  readonly out?: string
}

/** `mappa emit`: the legend as a JSON Schema document, or the values of pages as a module. */
export async function emit(options: EmitOptions): Promise<{ exitCode: number; cause?: string | undefined }> {
  if (options.as === 'module') return emitModule(options)
  if (options.as !== 'legend') throw new UsageError('--as takes legend or module, for example: mappa emit --as legend')
  if (options.out !== undefined) throw new UsageError('--out is for --as module; write: mappa emit --as legend > FILE')
  return emitLegend(options)
}

/** For what builds pages without a plugin: a module of their values in a stage, with their types. */
async function emitModule(options: EmitOptions): Promise<{ exitCode: number; cause?: string | undefined }> {
  const { out } = options
  if (out !== undefined && !/\.[cm]?[jt]s$/.test(out))
    throw new UsageError('--out takes a file whose name ends in .ts, .js or .mjs')
  const project = await openSound(options, 'Nothing was written.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  const { definition, root } = project
  const found = await pageSurvey(project, options)
  const faults = faultsElsewhere(found)
  const { stage, notices, settings } = found
  if (faults.length > 0 || !settings) {
    talk().write(reportText({ stage, faults, notices }, { ...talk(), consequence: 'Nothing was written.' }))
    return { exitCode: exitCodeFor(faults) }
  }
  const isTyped = out !== undefined && /\.[cm]?ts$/.test(out)
  const code = browserModule(definition, found, 'build')
  const variables = variablesOf(await described(project))
  const text = pageModule(code, variables, definition, { stage: stage.name, isTyped })
  if (out === undefined) {
    handOver(text)
    return { exitCode: exitCodes.fine }
  }
  return telling(async () => {
    const path = resolve(out)
    const before = textAt(path)
    if (before !== undefined && !before.startsWith(moduleHead)) {
      talk().write(`${out} was not written by mappa emit, so it stays as it is. Name another file with --out.\n`)
      return { exitCode: exitCodes.faults }
    }
    writeFiles([{ path, text, before: before ?? null }], root)
    output().write(`${out} has the values of pages in stage ${stage.name}.\n`)
    return { exitCode: exitCodes.fine }
  })
}

/** The legend as a JSON Schema document, which programs can read that do not run it. */
async function emitLegend(options: EmitOptions): Promise<{ exitCode: number; cause?: string | undefined }> {
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
