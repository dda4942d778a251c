import { entriesOf, printable } from 'mappa'
import { layerNamesIn } from '../../project/files.js'
import { nextStep, openProject, ownStages } from '../../project/project.js'
import { output } from '../../terminal/terminal.js'
import { exitCodes } from '../../terminal/usage-error.js'

/** `mappa` alone: what is there, and what to type next. */
export async function welcome(): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openProject({})
  const { root, legendFile, definition, faults, cause } = project
  const layers = layerNamesIn(root).map(printable)
  const there = layers.length > 0 ? `layer files ${layers.join(', ')}` : 'no layer files'
  const count = Object.keys(entriesOf(definition)).length
  const lines =
    legendFile === undefined
      ? [`There is no legend in ${root}, and there are ${there}.`, `    ${nextStep(root)}`]
      : definition
        ? [
            `${legendFile} in ${root} declares ${count} ${count === 1 ? 'variable' : 'variables'}; stages ${ownStages(project).join(', ')}; ${there}.`,
            '    Type: mappa check',
          ]
        : [...faults.map(({ message }) => message), '    Type: mappa check']
  output().write(`${[...lines.map(printable), '', 'mappa help lists all commands.'].join('\n')}\n`)
  return { exitCode: faults.length > 0 ? exitCodes.faults : exitCodes.fine, cause }
}
