import { printable, variablesOf } from 'mappa'
import { described } from '../../project/described.js'
import { textIn } from '../../project/made-file.js'
import { openSound, type ProjectOptions } from '../../project/project.js'
import { jsonReport } from '../../terminal/json-report.js'
import { jsonText, output } from '../../terminal/terminal.js'
import { unknownVariable } from '../../terminal/unknown-variable.js'
import { exitCodes, UsageError } from '../../terminal/usage-error.js'
import { patternFor } from '../../terminal/wanted.js'
import { type Guide, groupsOf } from './guide.js'

/** Options of `mappa guide`. */
export interface GuideOptions extends ProjectOptions {
  readonly as: 'text' | 'markdown' | 'html'
  readonly json?: boolean
}

/** `mappa guide [NAME…]`: the variables as help, from the legend alone. No value is shown. */
export async function guide(
  names: readonly string[],
  options: GuideOptions,
): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openSound(options, 'Nothing was written.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  const { root } = project
  const all = variablesOf(await described(project), options.stage)
  const patterns = names.map((name) => ({ name, pattern: patternFor(name) }))
  const stranger = patterns.find(({ pattern }) => !all.some((each) => pattern.test(each.name)))
  if (stranger)
    throw new UsageError(
      unknownVariable(
        stranger.name,
        all.map((each) => each.name),
      ),
    )
  const variables =
    names.length === 0 ? all : all.filter(({ name }) => patterns.some(({ pattern }) => pattern.test(name)))
  const terminal = output()
  if (options.json) {
    terminal.write(
      jsonText(
        jsonReport(options.stage === undefined ? {} : { stage: { name: options.stage, from: '--stage' } }, {
          variables,
        }),
      ),
    )
    return { exitCode: exitCodes.fine }
  }
  const shown: Guide = { title: titleOf(root), groups: groupsOf(variables), stage: options.stage }
  terminal.write(await guideAs(shown, options.as))
  return { exitCode: exitCodes.fine }
}

async function guideAs(shown: Guide, as: GuideOptions['as']): Promise<string> {
  if (as === 'html') return (await import('./html.js')).guideHtml(shown)
  if (as === 'markdown') return (await import('./markdown.js')).guideMarkdown(shown)
  const { width, paint } = output()
  return `${(await import('./guide-text.js')).guideText(shown, width, paint)}\n`
}

/** Named after the package, where there is one. */
function titleOf(root: string): string {
  try {
    const { name } = JSON.parse(textIn(root, 'package.json') ?? '{}') as { name?: unknown }
    return typeof name === 'string' && name !== '' ? printable(`Settings of ${name}`) : 'Settings'
  } catch {
    return 'Settings'
  }
}
