import { variablesOf } from 'mappa'
import { counted } from '../../declared/counted.js'
import {
  droppedFrom,
  hiddenIn,
  openQuote,
  type Sampled,
  sampleDifferences,
  samplePath,
  sampleText,
} from '../../declared/sample.js'
import { described } from '../../project/described.js'
import { givenNames } from '../../project/given-names.js'
import { legendAsRead, telling, textIn, writeMade } from '../../project/made-file.js'
import { openSound, type ProjectOptions } from '../../project/project.js'
import { output, talk } from '../../terminal/terminal.js'
import { exitCodes } from '../../terminal/usage-error.js'

/** Options of `mappa sample`. */
export interface SampleOptions extends ProjectOptions {
  /** True to say what is stale instead of writing. */
  readonly verify?: boolean
}

/** `mappa sample`: writes `.env.example` from the legend, or says how it differs. */
export async function sample(options: SampleOptions): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openSound(options, 'Nothing was written.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  return telling(async () => {
    const sampled = { variables: variablesOf(await described(project)), given: givenNames(project) }
    const before = textIn(project.root, samplePath)
    const open = openQuote(before ?? '')
    if (open) {
      talk().write(`${samplePath}:${open.line}:${open.column}: ${open.message} ${open.remedy}\nNothing was written.\n`)
      return { exitCode: exitCodes.faults }
    }
    if (options.verify) return sampleVerified(before, sampled)
    const after = sampleText(sampled, before)
    const gone = droppedFrom(sampled, before ?? '')
    const left = gone.length === 0 ? '' : ` Removed ${gone.join(', ')}: no longer in the legend.`
    const said = `Wrote ${samplePath}: ${counted(sampled.variables.length, 'variable')}.${left}`
    return writeMade(project.root, { path: samplePath, before, after }, said, {
      hidden: hiddenIn(sampled, before ?? ''),
      ...legendAsRead(project),
    })
  })
}

function sampleVerified(before: string | undefined, sampled: Sampled): { exitCode: number } {
  const differences = before === undefined ? [] : sampleDifferences(sampled, before)
  if (before !== undefined && differences.length === 0) {
    output().write(`${samplePath} is up to date.\n`)
    return { exitCode: exitCodes.fine }
  }
  const lines = differences.map(
    ({ message, line }) => `    ${samplePath}${line === undefined ? '' : `:${line}`}: ${message}`,
  )
  const headline = before === undefined ? `No ${samplePath}.` : `${samplePath} is stale.`
  output().write(`${[headline, ...lines, '  → Run: mappa sample'].join('\n')}\n`)
  return { exitCode: exitCodes.faults }
}
