import { entriesOf, type Layer, type Notice, type Survey, surveyLayers } from 'mappa'
import type { Project } from '../../project/project.js'
import { startFilesOf } from '../../project/start-files.js'
import { knownReadersOf } from '../../starts/losing.js'
import {
  type FoundName,
  type ReadDifference,
  type RefusedFile,
  readDifferences,
  type UntoldFile,
} from '../../starts/readers/differences.js'
import { layerReaders, type ReaderName } from '../../starts/readers/readers.js'
import type { Start } from '../../starts/start.js'

/** Larger layer files are not compared: this would take too long. UTF-16 code units. */
const layerLengthMax = 32_768
/** Longer texts are not shown. */
const textShownMax = 80
/** At most this many names are listed. */
const namesShownMax = 4
/** Nobody reads more notices of one file. */
const noticesMax = 100

/**
 * Notices of values that a reader which a start really uses reads otherwise than Mappa, each with a spelling that all readers of
 * the file agree on, or that no such spelling exists.
 */
export function otherReadings(project: Project, found: Survey): readonly Notice[] {
  const layers = found.layers.filter(({ source, text }) => source === 'file' && text !== undefined)
  const files = startFilesOf(project)
  const others = layers.length === 0 ? undefined : knownReadersOf(files)
  return layers.flatMap((layer) => {
    const text = layer.text ?? ''
    const used = new Map<ReaderName, Start>()
    for (const { reader, start } of others?.readersOf(layer.name) ?? [])
      if (reader !== 'other' && reader !== 'unknown' && !used.has(reader)) used.set(reader, start)
    if (used.size === 0 || text.length > layerLengthMax) return []
    const ours = oursIn(layer, found)
    const names = new Set(layer.names())
    const readers = [...used.keys()]
    const {
      differences,
      refused,
      untold,
      found: more,
    } = readDifferences({ text, names, ours, readers, around: aroundIn(found) })
    return [
      ...more.slice(0, noticesMax).map((each) => foundNotice(layer, each, used)),
      ...untold.flatMap((each) => untoldNotices(layer, each, used, found)),
      ...refused.map((each) => refusedNotice(layer, each, used)),
      ...differences.slice(0, noticesMax).map((each) => noticeOf(layer, each, { project, found, used, ours })),
      ...leftNotices(layer, Math.max(0, differences.length - noticesMax) + Math.max(0, more.length - noticesMax)),
    ]
  })
}

function leftNotices(layer: Layer, left: number): Notice[] {
  if (left === 0) return []
  return [
    {
      kind: 'read-differently',
      message: `Other readers get other values of ${left} more ${left === 1 ? 'name' : 'names'} from ${layer.name}.`,
      layer: layer.name,
      remedy: 'Correct those above first, then check again.',
    },
  ]
}

/** What Mappa gives of a file's names: what they come to where this file's value counts, else what it would be by itself. */
function oursIn(layer: Layer, found: Survey): ReadonlyMap<string, string> {
  const alone = surveyLayers(undefined, { stage: found.stage.name, layers: [layer] })
  const faulty = new Set([...found.faults, ...alone.faults].map(({ name }) => name))
  return new Map(
    [...layer.names()].flatMap((name): [string, string][] => {
      const isWinner = found.trail(name).winner?.layer === layer.name
      if (isWinner ? found.faults.some((fault) => fault.name === name) : faulty.has(name)) return []
      const text = (isWinner ? found.texts : alone.texts).get(name)
      return text === undefined ? [] : [[name, text]]
    }),
  )
}

function aroundIn({ layers }: Survey): ReadonlyMap<string, string> {
  const host = layers.filter(({ source }) => source === 'environment')
  return new Map(host.flatMap((layer) => [...layer.names()].map((name) => [name, layer.get(name) ?? ''] as const)))
}

interface ReadingContext {
  readonly project: Project
  readonly found: Survey
  readonly used: ReadonlyMap<ReaderName, Start>
  readonly ours: ReadonlyMap<string, string>
}

function noticeOf(layer: Layer, { name, readers, gets, spelling }: ReadDifference, context: ReadingContext): Notice {
  const { found, used, ours } = context
  const place = found.trail(name).steps.find((step) => step.layer === layer.name)?.place
  const value = ours.get(name) ?? ''
  const open = [value, ...gets.values()].every((text) => text === undefined || isOpen(name, text, context))
  const isLost = [...gets.values()].every((text) => text === undefined)
  const verb = readers.length === 1 ? 'gets' : 'get'
  const [first] = [...gets.values()]
  const shown = open && !isLost && first !== undefined && isShort(first) && isShort(value)
  const instead = shown ? `: ${JSON.stringify(first)} instead of ${JSON.stringify(value)}` : ''
  return {
    kind: 'read-differently',
    name,
    message: `${titles(readers)} ${verb} ${isLost ? 'no value' : 'another value'} of ${name} from ${layer.name}${instead} (${startNames(readers, used)}).`,
    layer: layer.name,
    ...(place && { place }),
    remedy: spellingRemedy(name, spelling, { open, readers, isAlone: used.size === 1 }),
  }
}

/**
 * Tells whether a text may be shown: another reader may put a secret into a value that has none for Mappa, however short it is.
 */
function isOpen(name: string, text: string, { project, found, ours }: ReadingContext): boolean {
  const entries = entriesOf(project.definition)
  const isHidden = (each: string) => !Object.hasOwn(entries, each) || entries[each]?.secret === true
  if (isHidden(name) || found.secretsIn(text).length > 0) return false
  return [...found.texts, ...ours].every(([each, own]) => own === '' || !isHidden(each) || !text.includes(own))
}

/** The name may be a part of a secret, so it is not shown. */
function foundNotice(layer: Layer, { readers }: FoundName, used: ReadingContext['used']): Notice {
  return {
    kind: 'read-differently',
    message: `${titles(readers)} ${readers.length === 1 ? 'finds' : 'find'} a variable in ${layer.name} where Mappa reads part of a value or nothing (${startNames(readers, used)}).`,
    layer: layer.name,
    remedy: 'Write each value on one line, or move it to its own file.',
  }
}

/** Said where it concerns more than the values that have a notice of their own. */
function untoldNotices(
  layer: Layer,
  { reader, line, names }: UntoldFile,
  used: ReadingContext['used'],
  found: Survey,
): Notice[] {
  const told = new Set(found.notices.flatMap(({ kind, name }) => (kind === 'read-differently' && name ? [name] : [])))
  const others = names.filter((name) => !told.has(name))
  if (others.length === 0) return []
  return [
    {
      kind: 'read-differently',
      message: `${titles([reader])} may get other values of ${others.slice(0, namesShownMax).join(', ')}${others.length > namesShownMax ? ` and ${others.length - namesShownMax} more` : ''} from ${layer.name} (${startNames([reader], used)}): it may run line ${line} as a command.`,
      layer: layer.name,
      place: { file: layer.name, line, column: 1, endColumn: 2 },
      remedy: 'Put the value on that line in single quotes.',
    },
  ]
}

function refusedNotice(layer: Layer, { reader, line }: RefusedFile, used: ReadingContext['used']): Notice {
  return {
    kind: 'read-differently',
    message: `${titles([reader])} refuses the whole of ${layer.name} (${startNames([reader], used)}): line ${line} must begin with a name and an equals sign.`,
    layer: layer.name,
    place: { file: layer.name, line, column: 1, endColumn: 2 },
    remedy: 'Begin the line with the name, without export and without spaces around it.',
  }
}

function titles(readers: readonly ReaderName[]): string {
  const all = readers.map((reader) => layerReaders[reader].title)
  const text = all.length === 1 ? (all[0] ?? '') : `${all.slice(0, -1).join(', ')} and ${all.at(-1)}`
  return text.charAt(0).toUpperCase() + text.slice(1)
}

function startNames(readers: readonly ReaderName[], used: ReadingContext['used']): string {
  return readers.flatMap((reader) => used.get(reader)?.name ?? []).join(', ')
}

function isShort(text: string): boolean {
  return text.length <= textShownMax && !/[\n\r]/.test(text)
}

function spellingRemedy(
  name: string,
  spelling: string | undefined,
  {
    open,
    readers,
    isAlone,
  }: { readonly open: boolean; readonly readers: readonly ReaderName[]; readonly isAlone: boolean },
): string {
  if (spelling === undefined)
    return isAlone
      ? `${titles(readers)} cannot read this value from any text as Mappa does. Load the layers with: mappa with -- …`
      : 'No text gives all readers of this file the same value. Load the layers with: mappa with -- …'
  if (open && isShort(spelling)) return `Write: ${name}=${spelling}`
  if (!/['"]/.test(spelling.charAt(0))) return 'Write the value without quotes.'
  if (spelling.startsWith("'")) return 'Put the whole value in single quotes.'
  const escapes = spelling.includes('\\') ? ', with a backslash before each ", \\ and $ that is text' : ''
  return `Put the whole value in double quotes${escapes}.`
}
