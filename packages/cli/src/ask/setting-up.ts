import { isStageName } from 'mappa'
import type { LegendForm } from '../setup/form.js'

/** Asks what no flag has said: the legend's language, and the stages that get a layer file. */
export async function askSetup(
  form: LegendForm | undefined,
  named: readonly string[] | undefined,
  usual: readonly string[],
): Promise<{ readonly form: LegendForm | undefined; readonly stages: readonly string[] }> {
  const { default: select } = await import('@inquirer/select')
  const { default: input } = await import('@inquirer/input')
  const chosen =
    form ??
    (await select<LegendForm | undefined>({
      message: 'The language of the legend',
      choices: [
        { name: 'As the project has it', value: undefined },
        { name: 'TypeScript', value: 'ts' },
        { name: 'JavaScript', value: 'js' },
        { name: 'JSON', value: 'json' },
      ],
    }))
  const stages =
    named ??
    stagesIn(
      await input({
        message: 'Stages with values of their own',
        default: usual.join(', '),
        validate: (text) =>
          stagesIn(text).every(isStageName) || 'A stage is named with small letters, digits and hyphens.',
      }),
    )
  return { form: chosen, stages }
}

const stagesIn = (text: string) =>
  text
    .split(',')
    .map((each) => each.trim())
    .filter((each) => each !== '')
