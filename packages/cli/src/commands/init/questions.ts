import { isStageName } from 'mappa'
import type { LegendForm } from '../../declared/legend-form.js'
import { choose, typed } from '../../terminal/ask.js'

/** Asks what no flag has said: the legend's language, and the stages that get a layer file. */
export async function askSetup(
  form: LegendForm | undefined,
  named: readonly string[] | undefined,
  usual: readonly string[],
  isIgnored: boolean,
): Promise<{ readonly form: LegendForm | undefined; readonly stages: readonly string[]; readonly split: boolean }> {
  const chosen =
    form ??
    (await choose<LegendForm | undefined>('Language of the legend', [
      { name: "The project's language", value: undefined },
      { name: 'TypeScript', value: 'ts' },
      { name: 'JavaScript', value: 'js' },
      { name: 'JSON', value: 'json' },
    ]))
  const stages =
    named ??
    stagesIn(
      await typed('Stages with their own values', {
        usual: usual.join(', '),
        wrong: (text) =>
          stagesIn(text).every(isStageName)
            ? undefined
            : 'A stage name has only lower-case letters, digits and hyphens.',
      }),
    )
  const split =
    isIgnored &&
    (await choose('Git ignores .env, so clones lack it', [
      { name: 'Leave it', value: false },
      { name: 'Share it: secrets go to .env.local, and the rule goes', value: true },
    ]))
  return { form: chosen, stages, split }
}

const stagesIn = (text: string) =>
  text
    .split(',')
    .map((each) => each.trim())
    .filter((each) => each !== '')
