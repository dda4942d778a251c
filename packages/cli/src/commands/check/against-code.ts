import { entriesOf, type Fault, type Legend, type Notice } from 'mappa'
import { nearest } from 'mappa/command'
import { isBundlerName, isHostName } from '../../code/host-names.js'
import { holdsCode, overParsed, type SourceFile } from '../../code/parse.js'
import { lineAndColumn } from '../../code/place.js'
import { type Read, type Reads, readsIn } from '../../code/reads.js'
import { namesWithFiles } from '../../declared/names-with-files.js'

/** Differences between code and legend. */
export interface CodeReport {
  readonly faults: readonly Fault[]
  readonly notices: readonly Notice[]
}

/**
 * Compares a legend with the code of its project: undeclared names that code reads, entries that nothing
 * reads, and reads that cannot be resolved. `mentioned` are the names that files other than code mention, such as scripts,
 * manifests and programs in other languages.
 */
export function againstCode(definition: Legend, files: Iterable<SourceFile>): CodeReport {
  const entries = entriesOf(definition)
  const names = Object.keys(entries)
  const known = new Set(namesWithFiles(definition))
  const remotes = definition.remotes ?? []
  const faults: Fault[] = []
  const notices: Notice[] = []
  const read = new Set(remotes.flatMap(({ url, token }) => (token === undefined ? [url] : [url, token])))
  const properties = new Set<string>()
  const mentioned = new Set<string>()
  // One file after the other, so that memory does not grow with their number.
  for (const file of files) {
    if (!holdsCode(file.path)) {
      // In a layer file a name is read where a value is built on it.
      const lead = /(?:^|\/)\.env[^/]*$/.test(file.path) ? '${' : ''
      for (const name of names) if (!mentioned.has(name) && mentions(file.text, name, lead)) mentioned.add(name)
      continue
    }
    const found = overParsed(file, readsIn)
    if ('line' in found) {
      notices.push(unparsed(file, found))
      for (const name of names) if (mentions(file.text, name)) mentioned.add(name)
      continue
    }
    for (const property of found.properties) properties.add(property)
    for (const each of found.reads) {
      // A file's name stands for what it holds.
      read.add(Object.hasOwn(entries, each.name) ? each.name : each.name.replace(/_FILE$/, ''))
      // The plugin refuses names that its module does not have.
      const isKnown = known.has(each.name) || each.from === 'virtual:mappa/settings'
      const isGiven = isHostName(each.name) || isBundlerName(each.name)
      if (!isKnown && !isGiven && !isKept(file, each)) faults.push(noEntry(each, file, names))
    }
    for (const each of computedNotices(found, file)) notices.push(each)
  }
  for (const name of names)
    if (!read.has(name) && !mentioned.has(name) && !isTaken(name, entries[name]?.as, properties))
      notices.push(unread(name, entries[name]?.as))
  return { faults, notices }
}

/** Tells whether code takes a setting by the steps of its place. One of several settings of that name is enough to believe it. */
function isTaken(name: string, as: string | undefined, properties: ReadonlySet<string>): boolean {
  return (as ?? name).split('.').every((step) => properties.has(step))
}

function mentions(text: string, name: string, lead = ''): boolean {
  const sought = lead + name
  for (let at = text.indexOf(sought); at >= 0; at = text.indexOf(sought, at + 1))
    if ((lead !== '' || !/\w/.test(text[at - 1] ?? '')) && !/\w/.test(text[at + sought.length] ?? '')) return true
  return false
}

/** `// mappa keep: reason` behind a read says that it is meant. */
function isKept({ text }: SourceFile, { end }: { readonly end: number }): boolean {
  const line = text.slice(end, text.indexOf('\n', end) < 0 ? text.length : text.indexOf('\n', end))
  return /\/[/*] ?mappa keep: ?\S/.test(line)
}

function noEntry(read: Read, file: SourceFile, names: readonly string[]): Fault {
  const { name, from } = read
  const near = nearest(name, names)
  return {
    kind: 'no-entry',
    name,
    message: `Code reads ${name} from ${from}, but it is not in the legend.`,
    ...spotOf(file, read),
    remedy: near ? `Write: ${near}` : `Run: mappa add ${name}`,
  }
}

function computedNotices({ computed }: Reads, file: SourceFile): Notice[] {
  const open = computed.filter((each) => !isKept(file, each))
  return open.map((each) => ({
    kind: 'computed-read',
    message: `Code reads ${each.from} by a name that is only known at run time.`,
    ...spotOf(file, each),
    remedy: 'Write the names out, or read them from settings.',
  }))
}

function unread(name: string, as: string | undefined): Notice {
  const place = as === undefined ? name : `settings.${as}`
  return {
    kind: 'unread',
    name,
    message: `${name} is unused: no code reads ${place}, and no other file mentions ${name}.`,
    remedy: `If nothing outside this project reads it, run: mappa remove ${name}`,
  }
}

function unparsed(file: SourceFile, { line, column }: { readonly line: number; readonly column: number }): Notice {
  return {
    kind: 'unparsed',
    message: `${file.path} cannot be parsed, so its reads are unknown.`,
    place: { file: file.path, line, column, endColumn: column + 1 },
    remedy: 'Correct it. If it is not code of this project, add it to .gitignore.',
  }
}

/** A place in code and its line. Code may hold secrets, and what is read is a name, so only that is shown of a long line. */
function spotOf({ path, text }: SourceFile, { start, end }: { readonly start: number; readonly end: number }) {
  const { line, column } = lineAndColumn(text, start)
  const shown = text.slice(start, end).split('\n', 1)[0] as string
  return {
    place: { file: path, line, column, endColumn: column + shown.length },
    excerpt: { text: shown, start: 0, end: shown.length },
  }
}
