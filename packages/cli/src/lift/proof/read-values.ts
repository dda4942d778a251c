import { type Legend, layerFromValues, legend, surveyLayers } from 'mappa'
import { isListed } from '../../code/literals.js'
import { isNode } from '../../code/parse.js'
import { Evaluator } from '../../code/values/evaluate.js'
import { isPrimitive, ListValue, notKnown, type Primitive } from '../../code/values/value.js'
import type { Candidate, Finding, TextDifference, VariableEntry, VariableUse } from '../../guess/finding.js'
import { staysAround } from '../../guess/variable-entry.js'
import { wordsOfEntry } from '../edit/legend.js'
import type { ProjectCode } from './project-code.js'

/** Texts that people and hosts give, well formed or not, for each type. */
const probes = [
  '',
  'abc',
  '12abc',
  '0',
  '1',
  '-1',
  '0.25',
  '1e3',
  '4100',
  'true',
  'false',
  'TRUE',
  'yes',
  'no',
  ' 5 ',
  'a,b',
  '{"a":1}',
]

/**
 * Candidates that code reads from its environment, each with an entry by which settings give what code made of the same text. The old
 * expression and the entry are compared over many texts: where a text that code took as it is would be refused or be another value,
 * another entry is tried. What is different for other texts is kept, to be told. `programs` are the files that programs begin with.
 */
export function provedReads(
  candidates: readonly Candidate[],
  code: ProjectCode,
  programs: readonly string[],
): readonly Candidate[] {
  return candidates.map((candidate) => {
    const sites = candidate.sites.filter(isRead)
    const isOpen = candidate.blocked === undefined && candidate.unproved === undefined && !candidate.declared
    if (sites.length === 0 || !isOpen || candidate.reach === 'browser') return candidate
    const test = code.setByTest(candidate.name)
    if (test !== undefined && sites.some((site) => isReadLater(site, code)))
      return {
        ...candidate,
        unproved: `${test} sets it while it runs, but settings are read once. To move it anyway, run: mappa lift --only ${candidate.name} --unproved`,
      }
    if (candidate.secret) return candidate
    const reads = sites.map((site) => oldRead(site, candidate.name, code))
    // Build output goes on reading the variable itself, where a default in the legend is no value.
    const isApart = code.isNamedInOutput(candidate.name, programs)
    for (const entry of entriesFor(candidate.entry)) {
      if (isApart && entry.default !== undefined) continue
      // A compiler infers the type of a name from what it begins with.
      if (/^(?:port|integer|number)$/.test(entry.type) && sites.some((site) => isSetAgain(site, code))) continue
      const tried = { ...candidate, entry }
      const differences = compared(tried, reads)
      if (differences) return { ...tried, ...(differences.length > 0 && { differences }) }
    }
    return {
      ...candidate,
      unproved: `It is not shown that code gets the same values from settings. To move it anyway, run: mappa lift --only ${candidate.name} --unproved`,
    }
  })
}

/** Tells whether a place reads a variable in code. */
export function isRead({ variable, form, path }: Finding): boolean {
  return (
    variable !== undefined && variable.given !== true && /^(?:expression|pattern)$/.test(form) && !/\.py$/.test(path)
  )
}

/** Tells whether a read begins a name in TypeScript that is set again, and has no type of its own. */
function isSetAgain({ path, start, end }: Finding, code: ProjectCode): boolean {
  const module = /\.[cm]?tsx?$/.test(path) ? code.module(path) : undefined
  const node = module && code.nodeAt(module, { start, end })
  const declarator = module && node ? code.useAt(module, node)?.parents.at(-1) : undefined
  const id = declarator?.type === 'VariableDeclarator' && isNode(declarator.id) ? declarator.id : undefined
  if (!module || !id || id.type !== 'Identifier' || id.typeAnnotation) return false
  return module.bindings.of(id)?.isConstant === false
}

/** Tells whether a read is in a function, so that it asks each time. */
function isReadLater({ path, variable }: Finding, code: ProjectCode): boolean {
  const module = code.module(path)
  const range = variable?.pattern?.properties[variable.pattern.own] ?? variable?.bare
  const node = module && range && code.nodeAt(module, range)
  const parents = module && node ? code.useAt(module, node)?.parents : undefined
  return parents?.some(({ type }) => /Function|Method/.test(type)) ?? true
}

/** Entries to try, from that which says most to one that leaves everything to the code. */
function entriesFor(entry: VariableEntry): readonly VariableEntry[] {
  const { default: _, enum: __, ...bare } = entry
  return [
    entry,
    ...(entry.type === 'integer' ? [{ ...entry, type: 'number' } as const] : []),
    { ...bare, type: 'string', optional: true },
  ]
}

/** What code makes of a text in one place; `undefined` for the text is a start that does not set it. */
interface OldRead {
  readonly use: VariableUse
  /** The value of the whole expression; `given` is what the read itself gives. */
  readonly value: (given: Primitive) => OldValue
}

/** What code or settings hold: of a list its texts. */
type ReadValue = Primitive | readonly Primitive[]
type OldValue = { readonly known: true; readonly value: ReadValue } | { readonly known: false }

function oldRead(site: Finding, name: string, code: ProjectCode): OldRead {
  const use = site.variable as VariableUse
  const module = code.module(site.path)
  const range = use.pattern?.properties[use.pattern.own] ?? site
  const node = module && code.nodeAt(module, range)
  const unknown: OldValue = { known: false }
  const value = (given: Primitive): OldValue => {
    if (!module || !node) return unknown
    const evaluator = new Evaluator(
      code.scene((from, asked) => (asked === name ? given : notKnown(`${from}.${asked} may have any value.`))),
    )
    // A property of a pattern gives its fallback where nothing is set.
    if (use.pattern) {
      const fallback = isNode(node.value) && node.value.type === 'AssignmentPattern' ? node.value.right : undefined
      if (given !== undefined || !isNode(fallback)) return { known: true, value: given }
      return primitiveOutcome(evaluator.outcome(fallback, module))
    }
    const own = primitiveOutcome(evaluator.outcome(node, module))
    const later = site.dropped && use.fallback
    return later && own.known && !own.value ? { known: true, value: fallbackValue(later) } : own
  }
  return { use, value }
}

function primitiveOutcome(outcome: ReturnType<Evaluator['outcome']>): OldValue {
  if (!outcome.known) return { known: false }
  const { value } = outcome
  if (value instanceof ListValue)
    return value.items.every(isPrimitive)
      ? { known: true, value: value.items as readonly Primitive[] }
      : { known: false }
  return isPrimitive(value) ? { known: true, value } : { known: false }
}

function fallbackValue({ text, form }: { readonly text: string; readonly form: string }): Primitive {
  return form === 'number' ? Number(text) : form === 'boolean' ? text === 'true' : text
}

/** Differences for texts that code did not take as they are; undefined if the entry would change one that it did. */
function compared(candidate: Candidate, reads: readonly OldRead[]): readonly TextDifference[] | undefined {
  const found: TextDifference[] = []
  const { entry } = candidate
  const words = wordsOfEntry(candidate)
  for (const probe of [undefined, ...probes]) {
    const given = settingOf(words, probe)
    for (const { use, value } of reads) {
      const old = value(probe)
      const stays = staysAround(use, entry)
      if (!old.known) {
        // Where only the read is replaced, the same text gives the same.
        if (stays && entry.type === 'string') continue
        return undefined
      }
      const now = given === 'refused' ? undefined : newValue(use, entry, given.value, stays ? value : undefined)
      if (now?.known && isSameValue(old.value, now.value)) continue
      if (probe === undefined ? given !== 'refused' || old.value !== undefined : isAsWritten(old.value, probe, entry))
        return undefined
      if (probe === undefined) continue
      found.push({ text: probe, was: asCode(old.value), now: now?.known ? asCode(now.value) : 'refused' })
    }
  }
  return found.filter((each, at) => found.findIndex(({ text }) => text === each.text) === at)
}

/** What settings hold of texts by an entry; `refused` where a start with that text is. Many variables have the same words. */
const settled = new Map<string, Map<string | undefined, { readonly value: ReadValue } | 'refused'>>()

function settingOf(words: object, text: string | undefined): { readonly value: ReadValue } | 'refused' {
  const key = JSON.stringify(words)
  const own = settled.get(key) ?? new Map<string | undefined, { readonly value: ReadValue } | 'refused'>()
  settled.set(key, own)
  const known = own.get(text)
  if (known) return known
  const given = text === undefined ? {} : { VALUE: text }
  const layer = layerFromValues('the process environment', given, { source: 'environment' })
  const definition = legend({ VALUE: words as never }) as Legend
  const { faults, settings } = surveyLayers(definition, { stage: 'development', layers: [layer] })
  const values = settings as Readonly<Record<string, ReadValue>> | undefined
  const found = faults.length === 0 ? { value: values?.VALUE } : 'refused'
  own.set(text, found)
  return found
}

/** What code gets in the place of the old expression. */
function newValue(
  use: VariableUse,
  entry: VariableEntry,
  given: ReadValue,
  around: OldRead['value'] | undefined,
): OldValue {
  if (around) return typeof given === 'object' && given !== null ? { known: false } : around(given)
  if (entry.type === 'boolean' && use.wanted === 'switch') return { known: true, value: use.contrary ? !given : given }
  const isNumber = /^(?:port|integer|number)$/.test(entry.type)
  if (isNumber && use.wanted === 'text' && use.fallback?.form !== 'number') return { known: true, value: String(given) }
  // In a pattern the fallback stays behind an optional read.
  if (use.pattern && entry.optional && given === undefined && use.fallback)
    return { known: true, value: fallbackValue(use.fallback) }
  return { known: true, value: given }
}

/** A number in the place of its text is the same to code that counts with it, which its fallback shows. */
function isSameValue(old: ReadValue, now: ReadValue): boolean {
  if (isList(old) || isList(now)) return JSON.stringify(old) === JSON.stringify(now) && isList(old) && isList(now)
  if (Object.is(old, now) || (old === 0 && now === 0)) return true
  return typeof now === 'number' && typeof old === 'string' && old.trim() !== '' && Number(old) === now
}

/** Tells whether code took a text as what it says: itself, its number, or its truth. A port is a whole number from 1. */
function isAsWritten(old: ReadValue, text: string, { type }: VariableEntry): boolean {
  // Items of a list that a layer can give.
  if (isList(old)) return old.join(',') === text && old.every((item) => isListed(String(item)))
  const number = text.trim() === '' ? Number.NaN : Number(text)
  if (type === 'port' && !(/^\d+$/.test(text) && number > 0 && number < 65536)) return false
  if (typeof old === 'boolean') return text === String(old)
  // Where a number is expected, other texts are mistakes.
  if (/^(?:integer|number)$/.test(type)) return old === number || (typeof old === 'string' && Number(old) === number)
  return old === text && text !== ''
}

function isList(value: ReadValue): value is readonly Primitive[] {
  return Array.isArray(value)
}

function asCode(value: ReadValue): string {
  return typeof value === 'string' || isList(value) ? JSON.stringify(value) : String(value)
}
