import { basename, sep } from 'node:path'
import { checksumOf } from './checksum.js'
import type { CodePlaces } from './places.js'
import type { GotValue, NotingRules, RawPlace } from './protocol.js'
import type { Loaded, SeenRead, Watched } from './seen-record.js'

/** What the layers say of a name. */
export interface Said {
  readonly name: string
  /** Undefined where nothing gives it a value. */
  readonly text: string | undefined
  readonly isSecret: boolean
  readonly isDeclared: boolean
  /** Text to show; undefined without a value. */
  readonly shown: string | undefined
  /** The layer that wins, with its line. */
  readonly from: string | undefined
}

/** How what a program got stands to what the layers say. */
export type Status = 'different' | 'undeclared' | 'unread' | 'as-declared'

/** One name, with what a program got. */
export interface Verdict {
  readonly name: string
  readonly status: Status
  readonly said: Said | undefined
  /** The first read, or the first that is different. */
  readonly read: SeenRead | undefined
  readonly place: RawPlace | undefined
  /** Each read that was noted, in its order. */
  readonly reads: readonly PlacedRead[]
  /** True if only code of installed packages asked. */
  readonly isPackages: boolean
}

/** A read, with its place in the code that a person wrote. */
export interface PlacedRead {
  readonly read: SeenRead
  readonly place: RawPlace | undefined
}

/** A program that was watched: one or more threads. */
export interface ProgramSeen {
  /** Its script from its folder; undefined for code on the command line. */
  readonly script: string | undefined
  readonly isThread: boolean
  readonly loaded: readonly Loaded[]
}

/** What a run comes to. */
export interface Witnessed {
  readonly verdicts: readonly Verdict[]
  readonly programs: readonly ProgramSeen[]
  /** Where code read the whole environment. */
  readonly wholes: readonly RawPlace[]
  /** Where a child was started with all of it. */
  readonly handedOn: readonly RawPlace[]
  /** Programs that are not Node's, or would not be watched, by name. */
  readonly unwatched: readonly string[]
}

/** Names that Mappa itself sets and reads. */
const ownNames = /^MAPPA_/

export function compareWithLayers(
  record: readonly Watched[],
  said: readonly Said[],
  { asked, places, command }: { readonly asked: NotingRules; readonly places: CodePlaces; readonly command: string },
): Witnessed {
  const programs = record.filter(({ script }) => !isManager(script))
  const known = new Map(said.map((each) => [each.name, each]))
  const reads = new Map<string, SeenRead[]>()
  for (const program of programs)
    for (const read of program.reads)
      if (!ownNames.test(read.name)) reads.set(read.name, [...(reads.get(read.name) ?? []), read])
  const verdictOf = (name: string, all: readonly SeenRead[]): Verdict => {
    const own = known.get(name)
    const different = own && all.find((read) => !isAsSaid(read.got, own, asked.key))
    // Of several reads the one in the person's own code says most.
    const placed = all.map((read) => ({ read, place: read.place && places.of(read.place) }))
    const plain = placed.find(({ place }) => place && !isOfPackage(place.file))
    const shown = placed.find(({ read }) => read === different) ?? plain ?? placed[0]
    const status: Status =
      all.length === 0 ? 'unread' : different ? 'different' : own?.isDeclared ? 'as-declared' : 'undeclared'
    const isPackages = all.length > 0 && !plain
    return { name, status, said: own, read: shown?.read, place: shown?.place, reads: placed, isPackages }
  }
  const names = new Set([...known.keys(), ...reads.keys()])
  const verdicts = [...names].map((name) => verdictOf(name, reads.get(name) ?? []))
  const whole = (what: 'code' | 'child') =>
    distinct(
      programs.flatMap(({ wholes }) =>
        wholes.flatMap((each) => (each.for === what && each.place ? [places.of(each.place)] : [])),
      ),
    )
  return {
    verdicts,
    programs: programs.map(({ script, folder, isThread, loaded }) => ({
      isThread,
      script: script?.startsWith(folder + sep) ? script.slice(folder.length + 1) : script,
      loaded: loaded.map((each) => inOwnCode(each, places)),
    })),
    wholes: whole('code'),
    handedOn: whole('child'),
    unwatched: unwatchedIn(record, command),
  }
}

/** The same with places in the code that a person wrote. Of settings only the first one outside of packages is kept. */
function inOwnCode(loaded: Loaded, places: CodePlaces): Loaded {
  if ('place' in loaded) return { ...loaded, place: places.of(loaded.place) }
  if (loaded.kind !== 'settings') return loaded
  const frames = loaded.frames.map((frame) => places.of(frame))
  return { ...loaded, frames: frames.filter(({ file }) => !isLibrary(file)).slice(0, 1) }
}

function isAsSaid(got: GotValue, { text }: Said, key: string): boolean {
  if (text === undefined) return got.is === 'unset'
  // What is empty in the layers reaches a program as empty text.
  if (text === '') return got.is === 'empty'
  return got.checksum === undefined ? got.text === text : got.checksum === checksumOf(text, key)
}

/** Tells whether code is that of an installed package. */
export function isOfPackage(file: string): boolean {
  return /[\\/]node_modules[\\/]/.test(file) || isLibrary(file)
}

/** Tells whether code is the library's own, also where it is linked to a checkout. */
function isLibrary(file: string): boolean {
  return /[\\/](?:node_modules|packages)[\\/]mappa[\\/](?:dist|src)[\\/]/.test(file)
}

/** Package managers, and Mappa itself, stand between the command and the program. */
function isManager(script: string | undefined): boolean {
  if (script === undefined) return false
  return (
    /[\\/]node_modules[\\/](?:npm|corepack|yarn|pnpm)[\\/]/.test(script) ||
    /^(?:npm|npx|yarn|yarnpkg|pnpm|pnpx|corepack|mappa)(?:-cli)?(?:\.[cm]?js)?$/.test(basename(script))
  )
}

/** Programs that only start others. */
const starters =
  /^(?:sh|bash|dash|zsh|env|time|nice|nohup|tini|dumb-init|timeout|setsid|cmd\.exe|npm|npx|yarn|pnpm|mappa|git|uname|ps)$/

function unwatchedIn(record: readonly Watched[], command: string): string[] {
  const watched = new Set(record.map(({ pid }) => pid))
  const names = record.flatMap(({ children }) =>
    children.flatMap(({ pid, program }) => (watched.has(pid) ? [] : [program])),
  )
  if (record.length === 0) names.push(basename(command))
  return [...new Set(names.filter((name) => !starters.test(name)))]
}

function distinct(places: readonly RawPlace[]): RawPlace[] {
  return [...new Map(places.map((each) => [`${each.file}:${each.line}`, each])).values()]
}
