import { entriesOf, printable } from 'mappa'
import { layerNamesIn } from '../../project/files.js'
import { nextStep, openProject, ownStages } from '../../project/project.js'
import { remedyText } from '../../terminal/remedy.js'
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
      ? [`No legend and ${there} in ${printable(root)}.`, remedyText(nextStep(root))]
      : definition
        ? [
            `${legendFile} in ${printable(root)} declares ${count} ${count === 1 ? 'variable' : 'variables'}; stages ${ownStages(project).join(', ')}; ${there}.`,
            '  → Run: mappa check',
          ]
        : [...faults.map(({ message }) => message), '  → Run: mappa check']
  output().write(`${[...lines, '', 'For all commands, run: mappa help'].join('\n')}\n`)
  return { exitCode: faults.length > 0 ? exitCodes.faults : exitCodes.fine, cause }
}
