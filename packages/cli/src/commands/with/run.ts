import { reportText } from 'mappa'
import { childEnvironment } from 'mappa/command'
import {
  exitCodeFor,
  legendsElsewhere,
  openProject,
  type ProjectOptions,
  surveyProject,
} from '../../project/project.js'
import { runChild } from '../../run/child.js'
import { tooLongFor } from '../../run/limits.js'
import { talk } from '../../terminal/terminal.js'

/** `mappa with [stage] -- command …`: runs a program with a stage's values. Says nothing when all is well. */
export async function withSettings(
  command: readonly [string, ...string[]],
  options: ProjectOptions,
): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openProject(options)
  const { found, asked } = await surveyProject(project, { ...options, start: true })
  const faults = found.ok ? tooLongFor(found) : found.faults
  if (faults.length === 0)
    return { exitCode: await runChild(command, childEnvironment(found, process.env, project.root, { asked })) }
  const terminal = talk()
  const elsewhere = legendsElsewhere(project, 'with')
  if (elsewhere !== undefined) terminal.write(elsewhere)
  const { stage } = found
  terminal.write(
    reportText(
      { stage, faults, notices: [], root: project.root },
      { ...terminal, consequence: 'Nothing was started.' },
    ),
  )
  return { exitCode: exitCodeFor(faults), cause: project.cause }
}
