import { variablesOf } from 'mappa'
import { gatherAt, WriteError } from 'mappa/node'
import { described } from '../described.js'
import { telling, textIn, writeMade } from '../made-file.js'
import { openSound, type ProjectOptions, type SoundProject } from '../project.js'
import { ignoredFiles } from '../project-files.js'
import { hiddenIn, openQuote, type Sampled, sampleDifferences, sampleText } from '../sample/sample.js'
import { output, talk } from '../terminal.js'
import { exitCodes } from '../usage.js'
import { counted } from '../wording.js'

/** Options of `mappa sample`. */
export interface SampleOptions extends ProjectOptions {
  /** Whether to say what is stale instead of writing. */
  readonly verify?: boolean
}

const path = '.env.example'

/** `mappa sample`: writes `.env.example` from the legend, or says how it differs. */
export async function sample(options: SampleOptions): Promise<{ exitCode: number; cause?: unknown }> {
  const project = await openSound(options, 'Nothing was written.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  return telling(async () => {
    const sampled = { variables: variablesOf(await described(project)), given: givenNames(project) }
    const before = textIn(project.root, path)
    const open = openQuote(before ?? '')
    if (open) {
      talk().write(`${path}:${open.line}:${open.column}: ${open.message} ${open.remedy}\nNothing was written.\n`)
      return { exitCode: exitCodes.faults }
    }
    if (options.verify) return verified(before, sampled)
    const after = sampleText(sampled, before)
    const said = `${path} holds ${counted(sampled.variables.length, 'variable')}.`
    return writeMade(project.root, { path, before, after }, said, hiddenIn(sampled, before ?? ''))
  })
}

function verified(before: string | undefined, sampled: Sampled): { exitCode: number } {
  const differences = before === undefined ? [] : sampleDifferences(sampled, before)
  if (before !== undefined && differences.length === 0) {
    output().write(`${path} is up to date.\n`)
    return { exitCode: exitCodes.fine }
  }
  const lines = differences.map(({ message, line }) => `    ${path}${line === undefined ? '' : `:${line}`}: ${message}`)
  const headline = before === undefined ? `There is no ${path}.` : `${path} is stale.`
  output().write(`${[headline, ...lines, '    Run: mappa sample'].join('\n')}\n`)
  return { exitCode: exitCodes.faults }
}

/** Names that have a value in development for whoever clones the project. */
function givenNames({ root, definition, legendFile }: SoundProject): ReadonlySet<string> {
  const { layers } = gatherAt(root, definition, { stage: 'development', environment: {} })
  const shared = layers.filter(({ source, local }) => source === 'file' && !local)
  const ignored = ignoredFiles(
    root,
    legendFile,
    shared.map(({ name }) => name),
  )
  const unread = shared.find(({ faults = [] }) => faults.length > 0)
  if (unread) throw new WriteError(`${unread.name} cannot be read. Nothing was written.`, unread.name)
  return new Set(
    shared
      .filter(({ name }) => !ignored.has(name))
      .flatMap((layer) => [...layer.names()].filter((name) => layer.get(name) !== '')),
  )
}
