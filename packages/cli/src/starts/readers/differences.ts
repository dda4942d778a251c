import { readLayer } from 'mappa'
import type { ReadAs } from './reader.js'
import { layerReaders, type ReaderName } from './readers.js'

/** A value that other readers of a file read otherwise than Mappa. */
export interface ReadDifference {
  readonly name: string
  /** The readers that get another value, or none. */
  readonly readers: readonly ReaderName[]
  /** What each of them gets, by reader: undefined for nothing. */
  readonly gets: ReadonlyMap<ReaderName, string | undefined>
  /** A spelling of the value that all readers of the file agree on. */
  readonly spelling: string | undefined
}

/** A name that a reader finds where Mappa sees a part of a value, or nothing. */
export interface FoundName {
  readonly name: string
  readonly readers: readonly ReaderName[]
}

/** A file of which a text alone does not tell what a reader makes of it, from a line on. */
export interface UntoldFile {
  readonly reader: ReaderName
  readonly line: number
  readonly names: readonly string[]
}

/** A file that a reader refuses as a whole. */
export interface RefusedFile {
  readonly reader: ReaderName
  readonly line: number
}

/** What a file of layers is, and who reads it. */
export interface FileOfReaders {
  readonly text: string
  /** The names that Mappa finds. */
  readonly names: ReadonlySet<string>
  /** What Mappa gives of each name; a name that it gives no value is not compared. */
  readonly ours: ReadonlyMap<string, string>
  readonly readers: readonly ReaderName[]
  /** The environment that the readers run in. */
  readonly around: ReadonlyMap<string, string>
}

/** Compares what the readers of a file make of it with what Mappa does. A value that a text cannot tell of a reader is left out. */
export function readDifferences({ text, names, ours, readers, around }: FileOfReaders): {
  readonly differences: readonly ReadDifference[]
  readonly found: readonly FoundName[]
  readonly untold: readonly UntoldFile[]
  readonly refused: readonly RefusedFile[]
} {
  const versions = readers.flatMap((reader) => layerReaders[reader].versions.map((read) => ({ reader, read })))
  const answers = versions.map(({ reader, read }) => ({ reader, answer: read(text, around) }))
  const refused = new Map(
    answers.flatMap(({ reader, answer: { refusedAt } }) =>
      refusedAt === undefined ? [] : [[reader, refusedAt] as const],
    ),
  )
  const differences = [...ours].flatMap(([name, value]): ReadDifference[] => {
    const gets = new Map<ReaderName, string | undefined>()
    for (const { reader, answer } of answers) {
      if (answer.refusedAt !== undefined || gets.has(reader)) continue
      const own = answer.values.get(name)
      if (own === value || (own === undefined && answer.values.has(name))) continue
      gets.set(reader, own)
    }
    if (gets.size === 0) return []
    return [{ name, readers: [...gets.keys()], gets, spelling: spellingFor(name, value, versions, around) }]
  })
  const more = new Map<string, Set<ReaderName>>()
  for (const { reader, answer } of answers)
    for (const name of answer.values.keys())
      if (answer.untoldAt === undefined && !names.has(name) && /^[A-Za-z_]\w*$/.test(name))
        more.set(name, (more.get(name) ?? new Set()).add(reader))
  const found = [...more].map(([name, by]) => ({ name, readers: [...by] }))
  const untold = answers.flatMap(({ reader, answer: { untoldAt, values } }): UntoldFile[] => {
    const open = [...names].filter((name) => values.get(name) === undefined)
    return untoldAt === undefined ? [] : [{ reader, line: untoldAt, names: open }]
  })
  return { differences, found, untold, refused: [...refused].map(([reader, line]) => ({ reader, line })) }
}

/** The plainest spelling of a value that Mappa and all of these readers read alike. */
function spellingFor(
  name: string,
  value: string,
  versions: readonly { readonly read: ReadAs }[],
  around: ReadonlyMap<string, string>,
): string | undefined {
  if (value.includes('\0')) return undefined
  return [...new Set(spellings(value))].find((written) => {
    const text = `${name}=${written}\n`
    const layer = readLayer(text)
    return (
      layer.get(name) === value &&
      !/\$\{/.test(written.startsWith("'") ? '' : written.replace(/\\./g, '')) &&
      versions.every(({ read }) => read(text, around).values.get(name) === value)
    )
  })
}

function spellings(value: string): readonly string[] {
  const escaped = value.replace(/["\\$]/g, '\\$&')
  return [
    value,
    `'${value}'`,
    `"${value}"`,
    `"${escaped}"`,
    value
      .split("'")
      .map((piece) => piece && `'${piece}'`)
      .join(`"'"`),
    `"${escaped.replaceAll('\n', '\\n')}"`,
    `"${value.replaceAll('\n', '\\n')}"`,
    value.replaceAll('$', '\\$'),
  ]
}
