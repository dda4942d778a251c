import { environmentsOf } from '../code/compose.js'
import { wordsOf } from '../code/words.js'
import { namesCredential } from './opening-names.js'
import { isMadeUp, isPlaceholderText, isUsualPassword } from './opening-shapes.js'

/** A password of a container that is too short or too plain to be found by its shape. Offsets are UTF-16 code units. */
export interface ComposePassword {
  readonly start: number
  readonly end: number
  readonly what: string
  /** True if only programs on this machine can use it, or everyone would try it first. */
  readonly isHarmless: boolean
}

/** Passwords that a Compose file gives to its services as they stand there. */
export function composePasswordsIn(text: string): ComposePassword[] {
  return environmentsOf(text).flatMap(({ service, ports, variables }) => {
    const isLocal = ports.every((port) => /^(?:127\.|localhost:|\[?::1\]?:)/.test(port))
    const others = new Set(variables.flatMap(({ name, value }) => (namesSecret(name) ? [] : [value])))
    return variables.flatMap(({ name, value, valueStart, end }) => {
      if (value === undefined || !namesSecret(name) || !isPassword(value)) return []
      const isTriedFirst = isUsualPassword(value) || isMadeUp(value) || others.has(value) || value === service
      return [
        {
          start: valueStart,
          end,
          what: `a password, under ${name} of the service ${service}`,
          isHarmless: isLocal || isTriedFirst,
        },
      ]
    })
  })
}

/** A name of what is typed or passed on. A name of a file that holds it says so. */
function namesSecret(name: string): boolean {
  return namesCredential(wordsOf(name))
}

/** As people choose one for a container: short, or a word. Other ones are found by their shape, too. */
function isPassword(value: string): boolean {
  return (
    /^[!-~]{3,100}$/.test(value) && !/\$|^(?:true|false|yes|no|null|none)$/i.test(value) && !isPlaceholderText(value)
  )
}
