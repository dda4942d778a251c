import type { Variable } from 'mappa'
import { typeFacts } from '../../declared/value-type.js'
import { choose, typed, unseen } from '../../terminal/ask.js'

/**
 * Asks for the value of one variable. A secret is typed unseen; what is wrong is said at once; of few values one is chosen.
 * Without an answer it stays as it is: `otherwise` says what that means.
 */
export async function askFor(
  { name, secret, type, values, examples }: Variable,
  otherwise: string,
  wrong: (text: string) => string | undefined,
): Promise<string | undefined> {
  const choices = values ?? typeFacts(type)?.choices
  if (choices && !secret) {
    const none = { name: otherwise, value: undefined }
    return choose<string | undefined>(name, [...choices.map((value) => ({ name: value, value })), none])
  }
  const checked = { wrong: (text: string) => (text === '' ? undefined : wrong(text)) }
  const message = `${name} (${otherwise}: Enter)`
  if (secret) return (await unseen(message, checked)) || undefined
  const hint = examples[0] === undefined ? '' : `, such as ${examples[0]}`
  return (await typed(message.replace(/\)$/, `${hint})`), checked)) || undefined
}
