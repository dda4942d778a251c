import type { Variable } from 'mappa'

/**
 * Asks for the value of one variable. A secret is typed unseen; what is wrong is said at once; of few values one is chosen.
 * Without an answer it stays as it is: `otherwise` says what that means.
 */
export async function askFor(
  { name, secret, type, values, examples }: Variable,
  otherwise: string,
  wrong: (text: string) => string | undefined,
): Promise<string | undefined> {
  const choices = values ?? (type === 'boolean' ? ['true', 'false'] : undefined)
  if (choices && !secret) {
    const { default: select } = await import('@inquirer/select')
    const none = { name: otherwise, value: undefined }
    return select<string | undefined>({
      message: name,
      choices: [...choices.map((value) => ({ name: value, value })), none],
    })
  }
  const validate = (text: string) => text === '' || (wrong(text) ?? true)
  const message = `${name} (${otherwise}: Enter)`
  if (secret) {
    const { default: password } = await import('@inquirer/password')
    return (await password({ message, validate })) || undefined
  }
  const { default: input } = await import('@inquirer/input')
  const hint = examples[0] === undefined ? '' : `, such as ${examples[0]}`
  return (await input({ message: message.replace(/\)$/, `${hint})`), validate })) || undefined
}
