import { entriesOf, type Legend, readLayer } from 'mappa'
import { holdsCode, type SourceFile } from '../code/parse.js'
import { declares, type WrittenEntry, withEntries, withEntryRenamed, withoutEntry } from '../declared/legend-edits.js'
import { withComments } from '../declared/legend-text.js'
import { samplePath } from '../declared/sample.js'
import type { FileChange } from '../terminal/diff.js'
import { declarationsOf, sampleChangeFor } from './made-files.js'
import { handsOn, linesWith, mayBeTemplate, renamedInForms, renamedInLayer, renamedWord } from './renamed-text.js'
import { linesTaking, renamedInCode } from './takers.js'

/** The facts about a project that a change of variables needs. */
export interface Changing {
  readonly read: (path: string) => string | undefined
  readonly legendFile: string
  /** The legend, and the files that it is made of: an entry is changed where it stands. */
  readonly legendFiles: readonly string[]
  readonly definition: Legend
  /** The layer files, by their names. */
  readonly layers: readonly string[]
  /** The project's own files. */
  readonly files: readonly SourceFile[]
}

/** The changes, and other mentions of a name for a person to check. */
export interface Plan {
  readonly changes: readonly (FileChange & { readonly secret: boolean })[]
  /** `README.md:12` */
  readonly mentions: readonly string[]
  /** The legend as it comes to be. */
  readonly definition: Legend
}

/** Texts of files as they come to be. */
class Drafts {
  readonly #texts = new Map<string, string>()
  readonly read: (path: string) => string

  constructor(given: Changing['read']) {
    this.read = (path) => this.#texts.get(path) ?? given(path) ?? ''
  }

  edit(path: string, change: (text: string) => string): void {
    this.#texts.set(path, change(this.read(path)))
  }

  changes({ read }: Changing): FileChange[] {
    return [...this.#texts].flatMap(([path, after]) => {
      const before = read(path) ?? null
      return after === (before ?? '') ? [] : [{ path, before, after }]
    })
  }
}

/** The changes that give variables other names, wherever they stand. */
export function renaming(changing: Changing, name: string, fresh: string, formerly: boolean): Plan {
  const drafts = new Drafts(changing.read)
  const entry = entriesOf(changing.definition)[name]
  const file = fileOf(changing, name)
  drafts.edit(file, (text) => withEntryRenamed(file, text, name, fresh, formerly))
  for (const layer of changing.layers) drafts.edit(layer, (text) => renamedInLayer(text, name, fresh))
  for (const { path } of changing.files) {
    if (skips(changing, path)) continue
    if (holdsCode(path))
      drafts.edit(path, (text) => renamedInCode({ path, text }, name, fresh, entry?.as === undefined))
    else if (handsOn(path)) drafts.edit(path, (text) => renamedWord(text, name, fresh))
    else if (mayBeTemplate(path)) drafts.edit(path, (text) => renamedInForms(text, name, fresh))
  }
  const entries = Object.fromEntries(
    Object.entries(entriesOf(changing.definition)).map(([each, own]) =>
      each === name ? [fresh, formerly ? { ...own, formerly: [...(own.formerly ?? []), name] } : own] : [each, own],
    ),
  )
  // In the sample the name changes in place, with what a person has written around it.
  const sample = samplePath
  if (changing.read(sample) !== undefined) drafts.edit(sample, (text) => renamedWord(text, name, fresh))
  return planOf(changing, drafts, entries, name)
}

/** Finds where code and settings take a variable: `src/server.ts:12`. */
export function takersOf(
  { files, definition }: Pick<Changing, 'definition'> & { readonly files: Iterable<SourceFile> },
  name: string,
): readonly string[] {
  const place = entriesOf(definition)[name]?.as ?? name
  const last = place.split('.').at(-1) ?? name
  const found: string[] = []
  // Most files hold neither name, and need not be parsed.
  for (const file of files)
    if (holdsCode(file.path) && (file.text.includes(name) || file.text.includes(last)))
      for (const line of linesTaking(file, name, place)) found.push(`${file.path}:${line}`)
  return found
}

/** The changes that take variables out of everything that is not a code. */
export function removing(changing: Changing, names: readonly string[]): Plan {
  const drafts = new Drafts(changing.read)
  for (const name of names) {
    const file = fileOf(changing, name)
    drafts.edit(file, (text) => withoutEntry(file, text, name))
    for (const layer of changing.layers)
      drafts.edit(layer, (text) => {
        const document = readLayer(text)
        document.remove(name)
        return document.toString()
      })
  }
  const entries = Object.fromEntries(
    Object.entries(entriesOf(changing.definition)).filter(([name]) => !names.includes(name)),
  )
  return planOf(changing, drafts, entries, ...names)
}

/** A value of a new variable, and the layer file that it goes to. */
export interface FirstValue {
  readonly file: string
  readonly text: string
}

/** The changes that declare a variable and give it its first value. */
export function adding(changing: Changing, entry: WrittenEntry, value: FirstValue | undefined): Plan {
  const drafts = new Drafts(changing.read)
  drafts.edit(changing.legendFile, (text) => withEntries(changing.legendFile, text, [entry]))
  if (value)
    drafts.edit(value.file, (text) => {
      const layer = readLayer(text)
      layer.set(entry.name, value.text)
      return layer.toString()
    })
  const entries = {
    ...entriesOf(changing.definition),
    [entry.name]: { ...entry.words, ...(entry.description && { description: entry.description }) },
  }
  return planOf(changing, drafts, entries)
}

/** Made files follow the legend as it comes to be; the rest is reported. */
function planOf(changing: Changing, drafts: Drafts, entries: object, ...names: readonly string[]): Plan {
  const { definition, legendFile, files, read } = changing
  const whole = { ...definition, entries } as Legend
  const described = withComments(whole, legendFile, drafts.read(legendFile))
  const draftRead = (path: string) => (read(path) === undefined ? undefined : drafts.read(path))
  const made = [
    ...(read(samplePath) === undefined ? [] : sampleChangeFor(described, draftRead, drafts.read)),
    ...(read('mappa.types.d.ts') === undefined
      ? []
      : declarationsOf(described, legendFile, drafts.read(legendFile), read)),
  ].map((change) => ({ ...change, before: read(change.path) ?? null }))
  const edited = drafts.changes(changing).filter(({ path }) => !made.some((each) => each.path === path))
  const changes = [...edited, ...made].filter(({ before, after }) => before !== after)
  const mentions = files.flatMap(({ path }) =>
    skips(changing, path)
      ? []
      : names.flatMap((name) => linesWith(drafts.read(path), name).map((line) => `${path}:${line}`)),
  )
  return {
    changes: changes.map((change) => ({ ...change, secret: change.path.endsWith('.local') })),
    mentions: [...new Set(mentions)],
    definition: whole,
  }
}

/** Files that are changed as what they are, or made. */
function skips({ legendFiles, layers }: Changing, path: string): boolean {
  return (
    legendFiles.includes(path) ||
    layers.includes(path) ||
    /^(?:\.env\.example|mappa\.types\.d\.ts(?:\.map)?)$/.test(path)
  )
}

/**
 * The file that declares a variable.
 * @throws {RangeError} if no text does, so that nothing can be changed in it.
 */
function fileOf({ legendFiles, read }: Changing, name: string): string {
  const file = legendFiles.find((path) => declares(path, read(path) ?? '', name))
  if (file === undefined) throw new RangeError(`Code in the legend makes the entry ${name}. Change it by hand.`)
  return file
}
