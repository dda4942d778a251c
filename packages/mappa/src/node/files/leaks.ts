import { mustBeText } from '../../legend/given.js'
import type { Fault } from '../../settle/faults/faults.js'
import type { Survey } from '../../settle/survey.js'
import { fs, path } from './builtins.js'
import { bytesAt } from './files.js'
import { pathFrom } from './shown-path.js'

/** A file of a bundle that goes to browsers, about to be written. */
export interface Output {
  /** Its path in the bundle. */
  readonly name: string
  readonly content: string | Uint8Array
  /** Its source map, which holds what it was made of. */
  readonly map?: string | undefined
}

/** Less than this is in many files. Characters. */
const layerTextMin = 8

/**
 * What is in files and must not go to browsers, however it got there: the text of a secret in any spelling, in any kind
 * of file, or a layer file as it is or in base64. Each is a fault of the kind `leak`, with the byte where it begins; files are
 * named by their path from the folder, and links are not followed. What a builder of another kind made is looked at so.
 *
 * ```ts
 * const leaks = leaksIn('dist', survey(definition, { stage: 'production' }))
 * ```
 */
export function leaksIn(folder: string, survey: Survey): Fault[] {
  mustBeText(folder, 'leaksIn', 'a folder')
  const files = fs.readdirSync(folder, { recursive: true, withFileTypes: true }).filter((each) => each.isFile())
  const paths = files.map(({ parentPath, name }) => path.join(parentPath, name)).sort()
  return paths.flatMap((file) => {
    const name = pathFrom(folder, file)
    return leaksOf([{ name, content: bytesAt(file) ?? '' }], survey)
  })
}

/** The same for files that are about to be written. */
export function leaksOf(outputs: Iterable<Output>, survey: Survey): Fault[] {
  const layers = layerTexts(survey)
  return [...outputs].flatMap(({ name, content, map = '' }): Fault[] => {
    const bytes = typeof content === 'string' ? Buffer.from(content) : content
    const parts = [
      { bytes, where: name },
      { bytes: Buffer.from(map), where: `the source map of ${name}` },
    ]
    for (const { bytes: part, where } of parts) {
      const whole = layers.find(({ spellings }) => spellings.some((each) => indexIn(part, each) >= 0))
      const secrets = whole ? [] : survey.secretPlaces(part)
      const [first] = secrets
      const names = [...new Set(secrets.map((each) => each.name))]
      if (!whole && !first) continue
      const what = whole ? whole.name : `the value of ${names.join(' and ')}`
      return [
        {
          kind: 'leak',
          ...(first && { name: first.name }),
          message: `${where} contains ${what}${first ? `, at byte ${first.start}` : ''}.`,
          layer: name,
          remedy: 'Find where the page, its code or a stylesheet takes it from, and keep that on the server.',
        },
      ]
    }
    return []
  })
}

/** The layer files of a survey, as stylesheets and pages take files in. */
function layerTexts({ layers }: Survey) {
  return layers.flatMap(({ name, text = '', source }) => {
    if (source !== 'file' || text.trim().length < layerTextMin) return []
    const base64 = Buffer.from(text).toString('base64')
    return [{ name, spellings: [text.trim(), base64.replace(/.{0,4}$/, '')] }]
  })
}

function indexIn(bytes: Uint8Array, text: string): number {
  return Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).indexOf(text)
}
