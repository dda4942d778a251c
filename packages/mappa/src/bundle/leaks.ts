import type { Fault } from '../settle/faults.js'
import type { Survey } from '../settle/survey.js'

/** A file of a bundle that goes to browsers, about to be written. */
export interface Output {
  /** Its path in the bundle. */
  readonly name: string
  readonly content: string | Uint8Array
  /** Its source map, which holds what it was made of. */
  readonly map?: string | undefined
}

/** Less than this stands in many files. Characters. */
const layerTextMin = 8

/**
 * What goes to browsers and must not, however it got there: the text of a secret in any spelling, or a layer file as it is or
 * in base64, as stylesheets and pages take files in.
 */
export function leaksIn(outputs: Iterable<Output>, survey: Survey): Fault[] {
  const files = survey.layers.flatMap(({ name, text = '', source }) =>
    source === 'file' && text.trim().length >= layerTextMin
      ? [
          {
            name,
            spellings: [
              text.trim(),
              Buffer.from(text)
                .toString('base64')
                .replace(/.{0,4}$/, ''),
            ],
          },
        ]
      : [],
  )
  return [...outputs].flatMap(({ name, content, map = '' }): Fault[] => {
    const text = `${typeof content === 'string' ? content : new TextDecoder().decode(content)}\n${map}`
    const whole = files.find(({ spellings }) => spellings.some((each) => text.includes(each)))
    const secrets = whole ? [] : survey.secretsIn(text)
    const what = whole ? whole.name : secrets.length > 0 ? `the text of ${secrets.join(' and ')}` : undefined
    if (what === undefined) return []
    return [
      {
        kind: 'leak',
        ...(secrets[0] !== undefined && { name: secrets[0] }),
        message: `${name} would carry ${what} to browsers.`,
        layer: name,
        remedy: 'Find where the page, its code or a stylesheet takes it from, and keep that on the server.',
      },
    ]
  })
}
