import MagicString from 'magic-string'
import { environmentsOf } from '../code/compose.js'
import { isHostName } from '../code/host-names.js'
import type { SourceFile } from '../code/parse.js'
import { ownStage } from '../code/stages/stage-tests.js'
import type { Finding } from './finding.js'
import { givenVariable } from './variables.js'

/** The values in `environment:` of each service, as a map or as a list of `NAME=value`. */
export function containersIn(file: SourceFile): Finding[] {
  const stage = stageIn(file.path)
  return environmentsOf(file.text).flatMap(({ service, variables }) =>
    variables.flatMap(({ name, value, start, end }) => {
      if (isHostName(name) || value === undefined) return []
      const reason = `The container ${service} has it.`
      const stuck = /\$/.test(value) ? 'A container computes its value when it starts.' : undefined
      return [givenVariable(file, { name, value, stage, start, end, reason, stuck, form: 'container' })]
    }),
  )
}

/**
 * The text with these variables filled in from the environment that the containers are started in; without a value the
 * start fails, and says how it goes. The rest is as it was.
 */
export function withExpansions(path: string, text: string, names: ReadonlySet<string>): string {
  const edited = new MagicString(text)
  const stage = stageIn(path)
  const { text: filled } = filledFromStart(path, stage)
  for (const { variables } of environmentsOf(text))
    for (const { name, value, listed, valueStart, end } of variables) {
      if (!names.has(name) || value === undefined) continue
      edited.overwrite(valueStart, end, `"${listed ? `${name}=` : ''}${filled(name)}"`)
    }
  return edited.toString()
}

/** The command that starts a file's containers with a stage's values, and what fills a variable in from there. */
export function filledFromStart(
  path: string,
  stage: string | undefined,
): { readonly command: string; readonly text: (name: string) => string } {
  // The usual names need not be said.
  const file = /^(?:docker-)?compose\.ya?ml$/.test(path) ? '' : ` -f ${path}`
  const command = `mappa with${stage === undefined ? '' : ` ${stage}`} -- docker compose${file} up`
  return { command, text: (name) => `\${${name}:?start with: ${command}}` }
}

function stageIn(path: string): string | undefined {
  return ownStage(path.split(/[/.]/).at(-2))
}
