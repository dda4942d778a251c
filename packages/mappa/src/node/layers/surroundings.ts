import type { AnyEntry } from '../../legend/entry.js'
import type { Legend } from '../../legend/legend.js'
import { stagesOf } from '../../legend/legend.js'
import { type Notice, printable } from '../../settle/faults/faults.js'
import { layerFromText } from '../../settle/stack/layer.js'
import { valueSpot } from '../../settle/stack/places.js'
import { fs, path } from '../files/builtins.js'
import { isDirectory, namesIn, readTextFile, textAt } from '../files/files.js'
import { legendsIn } from '../files/root.js'
import { sourceWord } from '../legends/legend-file.js'

/** Folders where people put layer files, which are not searched for there. */
const folders = ['src', 'config', 'env']

/** Notices about the layer files as such: likely wrong names, and others who may write to them. Only for reports. */
export function surroundings(root: string, definition: Legend<unknown> | undefined): readonly Notice[] {
  const stages = stagesOf(definition)
  const names = namesIn(root)
  const misplaced = folders.flatMap((folder) =>
    (names.includes(folder) ? namesIn(path.join(root, folder)) : [])
      .filter((name) => isRight(name, stages))
      .map((name) => misnamed(`${folder}/${name}`, name, names.includes(name))),
  )
  return [
    ...names.flatMap((name) => {
      const meant = rightName(name, stages)
      // Such a folder holds layer files, or another language's programs.
      return meant === undefined || isDirectory(path.join(root, name))
        ? []
        : [misnamed(name, meant, names.includes(meant))]
    }),
    ...misplaced,
    ...otherLegends(root),
    ...writable(root, names, stages),
    ...shared(root, names, stages, definition),
  ]
}

/** Legends that are not read since another one comes first; one that was made from it, for programs to start with, is right. */
function otherLegends(root: string): Notice[] {
  const [first, ...others] = legendsIn(root).filter(
    (name) => !(name.endsWith('.json') && (textAt(path.join(root, name)) ?? '').includes(`"${sourceWord}"`)),
  )
  return others.map((name) => ({
    kind: 'second-legend',
    message: `${name} is ignored, because ${first} is the legend.`,
    layer: name,
    remedy: 'Remove one of them.',
  }))
}

/** The likely intended name of a misnamed layer file; undefined for right names, samples, and names unlike any. */
export function rightName(name: string, stages: readonly string[]): string | undefined {
  if (isRight(name, stages) || /^\.env\.(?:example|sample)$|^\.envrc$/i.test(name)) return undefined
  const plain = name.toLowerCase().replace(/\.txt$/, '')
  // env, .env.txt, .ENV and _env; then dev.env, .env.prod and .env.local.staging
  const parts = /^[._-]?(?:([a-z][a-z0-9-]*)[._-])?env((?:[._-][a-z][a-z0-9-]*)*)$/.exec(plain)
  if (!parts) return undefined
  const words = [parts[1], ...(parts[2] ?? '').split(/[._-]/)].filter((word) => word)
  const local = words.includes('local') ? '.local' : ''
  const rest = words.filter((word) => word !== 'local')
  if (rest.length > 1) return undefined
  const [word] = rest
  const stage = word === undefined ? undefined : stages.find((each) => each === word || isShort(word, each))
  if (word !== undefined && stage === undefined) return undefined
  const meant = `.env${stage === undefined ? '' : `.${stage}`}${local}`
  return meant === name ? undefined : meant
}

/** `prod`, `dev`, `stage`: what people write for a stage. */
function isShort(word: string, stage: string): boolean {
  return word.length >= 3 && (stage.startsWith(word) || (word === 'stage' && stage === 'staging'))
}

function isRight(name: string, stages: readonly string[]): boolean {
  const [, stage] = /^\.env(?:\.([a-z][a-z0-9-]*?))?(?:\.local)?$/.exec(name) ?? ['', '?']
  return stage === undefined || stages.includes(stage) || (stage === 'local' && name === '.env.local')
}

function misnamed(name: string, meant: string, isThere: boolean): Notice {
  return {
    kind: 'misnamed',
    message: `${printable(name)} is not read: ${name.includes('/') ? 'layer files belong in the root.' : `should it be called ${meant}?`}`,
    layer: printable(name),
    remedy: isThere ? `Move its content to ${meant}, and remove it.` : `Run: mv ${shellWord(name)} ${meant}`,
  }
}

function shellWord(name: string): string {
  return /^[A-Za-z0-9._/-]+$/.test(name) ? name : `'${printable(name).replaceAll("'", `'\\''`)}'`
}

/** Anyone who may write to the root or a layer file decides what the program does. The sticky bit keeps others' files apart. */
function writable(root: string, names: readonly string[], stages: readonly string[]): Notice[] {
  if (process.platform === 'win32') return []
  const files = names.filter((name) => isRight(name, stages) || name.startsWith('mappa.legend.'))
  return ['.', ...files].flatMap((name) => {
    const stats = fs.statSync(path.join(root, name), { throwIfNoEntry: false })
    if (!stats || (stats.mode & 0o002) === 0 || (name === '.' && (stats.mode & 0o1000) !== 0)) return []
    const what = name === '.' ? 'The root' : name
    return [
      {
        kind: 'writable-by-others' as const,
        message: `Every user of this machine may write to ${what}, and so change what is started.`,
        layer: name === '.' ? printable(root) : name,
        remedy: `Run: chmod o-w ${name === '.' ? shellWord(root) : name}`,
      },
    ]
  })
}

/** Secrets that have one text in two stages: who finds it in one has it in the other. */
function shared(
  root: string,
  names: readonly string[],
  stages: readonly string[],
  definition: Legend<unknown> | undefined,
): Notice[] {
  const layers = stages.flatMap((stage) =>
    [`.env.${stage}.local`, `.env.${stage}`].flatMap((name) => {
      const text = names.includes(name) ? readTextFile(path.join(root, name), name) : undefined
      return typeof text !== 'string' ? [] : [{ stage, layer: layerFromText(name, text) }]
    }),
  )
  if (layers.length < 2) return []
  const entries = Object.entries((definition?.entries ?? {}) as Readonly<Record<string, AnyEntry | null>>)
  return entries.flatMap(([name, entry]): Notice[] => {
    if (!entry?.secret) return []
    const known = new Map<string, string>()
    for (const { stage, layer } of layers) {
      const text = layer.get(name)
      if (!text) continue
      const other = known.get(text)
      if (other !== undefined && other !== stage)
        return [
          {
            kind: 'shared-secret',
            name,
            message: `${name} has the same value in ${other} and in ${stage}.`,
            layer: layer.name,
            ...valueSpot(layer, name, entry),
            remedy: entry.obtain ? `Obtain one for each stage: ${entry.obtain}` : 'Use another secret in each stage.',
          },
        ]
      known.set(text, stage)
    }
    return []
  })
}
