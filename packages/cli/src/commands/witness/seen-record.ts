import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import type { GotValue, RawPlace, RecordLine } from './protocol.js'

/** A name that a process asked for: the first time by a package and by other code, before and after it was set. */
export interface SeenRead {
  readonly name: string
  /** By the environment, or by settings that were made of the layers. */
  readonly by: 'environment' | 'settings'
  readonly place: RawPlace | undefined
  readonly got: GotValue
  /** Where the value is from, as far as that is known. */
  readonly from: ValueOrigin | undefined
}

/** Where a value that a process had is from. */
export type ValueOrigin =
  | { readonly kind: 'code' | 'loadEnvFile'; readonly place: RawPlace | undefined }
  | { readonly kind: 'preload' | 'with' | 'environment' }
  /** The kind of layer that settings had it from. */
  | { readonly kind: 'layer'; readonly layer: string }

/** One way in which layers came into a process. */
export type Loaded =
  | { readonly kind: 'settings'; readonly stage: string; readonly frames: readonly RawPlace[] }
  | { readonly kind: 'preload' | 'with'; readonly stage: string }
  | { readonly kind: 'envFile'; readonly file: string }
  /** Another reader: code that set several names. */
  | { readonly kind: 'code' | 'loadEnvFile'; readonly place: RawPlace; readonly count: number }

/** A process or a thread that was watched. */
export interface Watched {
  /** When it began. Milliseconds since 1970. */
  readonly at: number
  readonly pid: number
  readonly isThread: boolean
  readonly script: string | undefined
  readonly folder: string
  readonly reads: readonly SeenRead[]
  /** Where the whole environment was read. */
  readonly wholes: readonly { readonly for: 'code' | 'child'; readonly place: RawPlace | undefined }[]
  readonly loaded: readonly Loaded[]
  readonly children: readonly { readonly pid: number; readonly program: string }[]
}

/** So many names set from one place are the work of a reader of files. */
const readerMin = 2

/** What the observers have written down, in the order in which the processes began. A line that is cut off is passed over. */
export function recordIn(folder: string): Watched[] {
  return readdirSync(folder)
    .filter((name) => name.endsWith('.jsonl'))
    .map((name) => linesIn(readFileSync(join(folder, name), 'utf8')))
    .flatMap((lines) => watchedFrom(lines) ?? [])
    .sort((a, b) => a.at - b.at)
}

function linesIn(text: string): RecordLine[] {
  return text.split('\n').flatMap((line): RecordLine[] => {
    try {
      return line === '' ? [] : [JSON.parse(line)]
    } catch {
      return []
    }
  })
}

function watchedFrom(lines: readonly RecordLine[]): Watched | undefined {
  const own = lines.find((line) => line.kind === 'process')
  if (!own) return undefined
  const of = <Kind extends RecordLine['kind']>(kind: Kind) =>
    lines.filter((line): line is Extract<RecordLine, { kind: Kind }> => line.kind === kind)
  const preloaded = new Set(of('preloaded').flatMap(({ names }) => names))
  const questions = questionsIn(lines)
  const set = new Map(lines.flatMap((line, at) => (isSet(line) ? [[line.name, { line, at }] as const] : [])))
  const sourceOf = (name: string, { is }: GotValue, at: number): ValueOrigin | undefined => {
    const own = set.get(name)
    if (own && own.at < at) return { kind: own.line.by, place: own.line.place }
    if (preloaded.has(name)) return { kind: 'preload' }
    return is === 'unset' ? undefined : { kind: 'environment' }
  }
  const { at, pid, isThread, script, folder } = own
  return {
    at,
    pid,
    isThread,
    script,
    folder,
    reads: lines.flatMap((line, at): SeenRead[] => {
      if (line.kind === 'read') {
        const { name, place, got } = line
        return questions.has(line) ? [] : [{ name, by: 'environment', place, got, from: sourceOf(name, got, at) }]
      }
      if (line.kind !== 'setting') return []
      return [
        {
          name: line.name,
          by: 'settings',
          place: line.place,
          got: line.got,
          from: { kind: 'layer', layer: line.from },
        },
      ]
    }),
    wholes: of('whole').map((line) => ({ for: line.for, place: line.place })),
    loaded: [
      ...(own.withStage === undefined ? [] : [{ kind: 'with', stage: own.withStage } as const]),
      ...own.envFiles.map((file) => ({ kind: 'envFile', file }) as const),
      ...of('preloaded').map(({ stage }) => ({ kind: 'preload', stage }) as const),
      ...readersIn(of('set')),
      ...of('settled').map(({ stage, frames }) => ({ kind: 'settings', stage, frames }) as const),
    ],
    children: of('child').map(({ pid: child, program }) => ({ pid: child, program })),
  }
}

/**
 * The reads by which a reader of files asks whether a name is set already, before it sets it: what such a place asks is no use of a
 * value. Code that sets a single name asks for it.
 */
function questionsIn(lines: readonly RecordLine[]): ReadonlySet<RecordLine> {
  const readers = new Set(readersIn(lines.filter(isSet)).map((each) => ('place' in each ? placeKey(each.place) : '')))
  const latest = new Map<string, RecordLine & { readonly kind: 'read' }>()
  const places = new Set<string>()
  for (const line of lines)
    if (line.kind === 'read') latest.set(line.name, line)
    else if (line.kind === 'set' && line.asked && line.place) {
      const asked = latest.get(line.name)
      const isReader = readers.has(placeKey(line.place)) || /[\\/]node_modules[\\/]/.test(line.place.file)
      if (asked?.place && isReader) places.add(placeKey(asked.place))
    }
  return new Set(lines.filter((line) => line.kind === 'read' && line.place && places.has(placeKey(line.place))))
}

function isSet(line: RecordLine): line is RecordLine & { readonly kind: 'set' } {
  return line.kind === 'set'
}

function placeKey({ file, line, column }: RawPlace): string {
  return `${file}:${line}:${column}`
}

/** Places that have set several names. */
function readersIn(lines: readonly Extract<RecordLine, { kind: 'set' }>[]): Loaded[] {
  const places = new Map<string, { readonly kind: 'code' | 'loadEnvFile'; readonly place: RawPlace; count: number }>()
  for (const { place, by, name } of lines) {
    if (!place || name.startsWith('MAPPA_')) continue
    const key = `${by} ${placeKey(place)}`
    const known = places.get(key) ?? { kind: by, place, count: 0 }
    known.count++
    places.set(key, known)
  }
  return [...places.values()].filter(({ count }) => count >= readerMin)
}
