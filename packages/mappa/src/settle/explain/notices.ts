import { type Difference, differencesOf, isNameOfShell } from '../../format/portability.js'
import { encodeValue } from '../../format/value.js'
import type { AssignmentRange } from '../../format/values.js'
import type { AnyEntry } from '../../legend/entry.js'
import { hides } from '../../legend/entry.js'
import { type Notice, printable, quote } from '../faults/faults.js'
import { namesFile, type Reading, type StageEntries, steeringNames } from '../reading/read.js'
import { secrecyOf } from '../reading/secrecy.js'
import { isKeyLine } from '../stack/key-lines.js'
import type { Layer } from '../stack/layer.js'
import { changesLoading } from '../stack/loading-names.js'
import { lineAt, nameSpot, openText, rangesOf, type Spot, valueSpot, writtenOf } from '../stack/places.js'
import type { Hit, Stack } from '../stack/stack.js'
import type { Stage } from '../stack/stage.js'
import { isGuessable, isPlaceholder, keyFor } from '../value/slips.js'
import { readAlreadyText } from './explain.js'
import { obtainRemedy } from './remedies.js'

/** The notices of a reading. Computed only for a report: a good start never asks. */
export function noticesOf(reading: Reading): Notice[] {
  const { entries, layers, stack, stage, ancestry, problems, slips, already } = reading
  const slipped = new Set([...slips.values()].map(({ as }) => as))
  const formers = new Set([...entries.values()].flatMap(({ formerly = [] }) => formerly))
  const faulty = new Set(problems.map(({ name }) => name))
  const files = layers.filter((layer) => layer.source === 'file')
  return [
    ...files.flatMap((layer) => [...fileNotices(layer), ...layerNotices(layer, { entries, slipped, stack, formers })]),
    ...[...entries.keys()].flatMap((name) => [
      ...stackNotices(name, entries, layers, stage, ancestry),
      // A faulty value is reported as a fault.
      ...(faulty.has(name) ? [] : valueWords(name, entries.get(name) as AnyEntry, stack.find(name), stage, ancestry)),
      ...(faulty.has(name) ? [] : secretsWithin(name, reading)),
    ]),
    ...formerNotices(entries, layers),
    ...already
      .filter(({ stops }) => !stops)
      .map((found) => ({ kind: 'read-already' as const, ...readAlreadyText(found, entries, {}) })),
  ]
}

/** At most this many lines are listed of a name that is set again and again. */
const linesMax = 10

/** Facts about names while their notices are made. */
interface NameFacts {
  readonly entries: StageEntries
  /** Names that a fault speaks of. */
  readonly slipped: ReadonlySet<string | undefined>
  readonly stack: Stack
  readonly formers: ReadonlySet<string>
}

/** Nobody reads more of one file: it is data, or something is wrong with all of it. */
const noticesMax = 100

function layerNotices(layer: Layer, facts: NameFacts): Notice[] {
  const found: Notice[] = []
  let left = 0
  for (const name of layer.names())
    if (found.length < noticesMax) for (const each of nameNotices(layer, name, facts)) found.push(each)
    else left++
  if (left === 0) return found
  return [
    ...found,
    {
      kind: 'read-differently',
      message: `${layer.name} has too many notices: ${left} more ${left === 1 ? 'name was' : 'names were'} not checked.`,
      layer: layer.name,
      remedy: 'Correct those above first. If this is data, move it to another file.',
    },
  ]
}

function* nameNotices(layer: Layer, name: string, { entries, slipped, stack, formers }: NameFacts): Generator<Notice> {
  const ranges = rangesOf(layer, name)
  if (!entries.has(name) && followsFlaw(layer, ranges)) return
  if (isKeyLine(name, layer.get(name), entries)) {
    yield keyLine(layer, name)
    return
  }
  if (ranges.length > 1)
    yield {
      kind: 'read-differently',
      name,
      message: `${name} is set ${ranges.length} times in ${layer.name}. Mappa takes the last one, but some readers take the first.`,
      ...nameSpot(layer, name, entries.get(name)),
      remedy: `Remove ${linesSaid(layer, ranges.slice(0, -1))}.`,
    }
  yield* lookNotices(layer, name, entries)
  yield* valueNotices(layer, name, entries, stack)
  if (ranges.some(({ loose }) => loose))
    yield {
      kind: 'read-differently',
      name,
      message: `There are spaces around the equals sign of ${name}. A shell does not read this line.`,
      ...nameSpot(layer, name, entries.get(name)),
      remedy: `Write: ${name}=…`,
    }
  if (isNameOfShell(name))
    yield {
      kind: 'read-differently',
      name,
      message: `${name} is a variable of the shell itself. A shell that reads this file rejects or ignores the line.`,
      ...nameSpot(layer, name, entries.get(name)),
      remedy: 'Give it another name.',
    }
  if (/[a-z]/.test(name) && !entries.has(name))
    yield {
      kind: 'read-differently',
      name,
      message: `${name} has lower-case letters. Some readers change or skip such names.`,
      ...nameSpot(layer, name),
      remedy: `Write: ${name.toUpperCase()}=…`,
    }
  // Of what no layer file may set, another notice speaks.
  const isRefused = steeringNames.includes(name) || changesLoading(name)
  const isKnown = entries.size === 0 || entries.has(name) || namesFile(name, entries) || formers.has(name) || isRefused
  if (!isKnown && !slipped.has(name) && !layer.isKept?.(name)) {
    yield {
      kind: 'undeclared',
      name,
      message: `${name} is not in the legend.`,
      ...nameSpot(layer, name, entries.get(name)),
      remedy: 'Add it to the legend, or remove the line.',
    }
  }
  if (changesLoading(name) && !entries.has(name))
    yield {
      kind: 'changes-loading',
      name,
      message: `${name} changes what programs run or whom they trust, so Mappa does not take it from a layer file.`,
      ...nameSpot(layer, name, entries.get(name)),
      remedy: 'Set it where you start the program, or add it to the legend.',
    }
}

/** Reported by place only, since what looks like a name is a part of the key. */
function keyLine(layer: Layer, name: string): Notice {
  const { layer: file, place } = nameSpot(layer, name) as Spot
  return {
    kind: 'undeclared',
    message: 'This line looks like the last line of a base64 key, so it sets nothing.',
    layer: file,
    place,
    remedy: 'Put the whole key in single quotes, from the first line to the last.',
  }
}

/** Names that a layer still has under what they were called before. */
function* formerNotices(entries: StageEntries, layers: readonly Layer[]): Generator<Notice> {
  for (const [name, { formerly = [], ...entry }] of entries)
    for (const old of formerly)
      for (const layer of layers)
        if (layer.get(old) !== undefined)
          yield {
            kind: 'former-name',
            name,
            message: `${old} is now called ${name}, but ${layer.name} still sets the old name.`,
            layer: layer.name,
            ...nameSpot(layer, old, entry),
            remedy: layer.get(name) === undefined ? `Rename it to ${name}.` : `Remove it: ${name} is also set there.`,
          }
}

/** A value that is not secret, but contains another variable's secret: that is masked wherever it is shown. */
function* secretsWithin(name: string, reading: Reading): Generator<Notice> {
  const entry = reading.entries.get(name) as AnyEntry
  const hit = reading.stack.find(name)
  if (!hit || hides(entry)) return
  const [secret] = secrecyOf(reading)
    .namesIn(hit.text)
    .filter((each) => each !== name)
  if (secret === undefined) return
  const { layer, as = name } = hit
  yield {
    kind: 'secret-within',
    name,
    message: `${name} contains the value of ${secret}, but is not secret.`,
    layer: layer.name,
    ...valueSpot(layer, as, entry),
    remedy: `Write \${${secret}} in its place, or in its entry: secret: true`,
  }
}

/** Notices on valid values. */
function* valueWords(
  name: string,
  entry: AnyEntry,
  hit: Hit | undefined,
  stage: Stage,
  ancestry: readonly string[],
): Generator<Notice> {
  if (!hit || hit.text === '') return
  const { layer, text, as = name } = hit
  const base = { name, layer: layer.name, ...valueSpot(layer, as, entry) }
  if (entry.deprecated)
    yield {
      ...base,
      kind: 'deprecated',
      message: `${name} is deprecated, but ${layer.name} sets it.`,
      remedy: entry.description ? printable(entry.description) : 'Remove it.',
    }
  if (!hides(entry) && entry.type === 'string' && isPlaceholder(text))
    yield {
      ...base,
      kind: 'placeholder',
      message: `${name} is ${quote(text)}, which looks like a placeholder.`,
      remedy: obtainRemedy(entry, 'Put the real value there.'),
    }
  if (!entry.secret && openText(text, entry) !== text)
    yield {
      ...base,
      kind: 'password-shown',
      message: `${name} contains what looks like a credential, but is not secret.`,
      remedy: `Write: ${name}: { …, secret: true }`,
    }
  if (!ancestry.includes('production') && keyFor(text, entry) === 'live')
    yield {
      ...base,
      kind: 'key-of-other-stage',
      message: `${name} looks like a live key, but this is stage ${stage.name}.`,
      remedy: 'Use a test key in this stage.',
    }
  // While developing, anything will do.
  if (
    entry.secret &&
    entry.type === 'string' &&
    !ancestry.some((each) => each === 'development' || each === 'test') &&
    isGuessable(text)
  )
    yield {
      ...base,
      kind: 'weak-secret',
      message: `${name} is easy to guess.`,
      remedy: obtainRemedy(entry, 'Use a long random value.'),
    }
}

const differenceTexts: Readonly<Record<Difference, string>> = {
  blanks: 'spaces outside quotes',
  quotes: 'quotes inside an unquoted value',
  backslashes: 'backslashes outside quotes',
  escapes: 'escapes that a shell does not expand',
  'shell-characters': 'characters with a meaning in a shell',
  dollar: 'a dollar sign that a shell expands',
  tilde: 'a tilde that a shell replaces',
  'assignment-inside': 'a line that looks like an assignment',
}

/** Quotes as word processors write them, and blanks that are not, at either end of a value. */
const [oddQuote, oddBlank] = [
  /^[\u2018-\u201f\u00ab\u00bb\u2039\u203a\u300c-\u300f\uff02\uff07]|[\u2018-\u201f\u00ab\u00bb\u2039\u203a\uff02\uff07]$/,
  /^[\u00a0\u2000-\u200b\u202f\u3000\ufeff]|[\u00a0\u2000-\u200b\u202f\u3000\ufeff]$/,
]

/** Notices on text that its writer hardly meant. */
function* lookNotices(layer: Layer, name: string, entries: StageEntries): Generator<Notice> {
  const { written, style } = writtenOf(layer, name) ?? {}
  if (written === undefined || style === undefined) return
  const spot = valueSpot(layer, name, entries.get(name))
  const odd = oddQuote.test(written) ? 'a typographic quote' : oddBlank.test(written) ? 'a no-break space' : undefined
  if (style === 'bare' && odd)
    yield {
      kind: 'read-differently',
      name,
      message: `The value of ${name} begins or ends with ${odd}, which becomes part of it.`,
      ...spot,
      remedy: odd === 'a no-break space' ? 'Remove it.' : `Write straight quotes: ${name}='…'`,
    }
  if (style !== 'bare' && style !== 'single' && /"[A-Za-z]:\\[^"\n]*"/.test(written) && /\\[nrt]/.test(written))
    yield {
      kind: 'read-differently',
      name,
      message: `The value of ${name} looks like a Windows path, but in double quotes \\n, \\r and \\t are line ends and tabs.`,
      ...spot,
      remedy: 'Put the path in single quotes.',
    }
}

/** Notices on values that other readers read differently, with a spelling that all agree on. */
function* valueNotices(layer: Layer, name: string, entries: StageEntries, stack: Stack): Generator<Notice> {
  const { written, style } = writtenOf(layer, name) ?? {}
  if (written === undefined || style === undefined) return
  // A dollar sign before a known name is a fault already.
  const { bare = [], parts = [] } = layer.parsed?.(name) ?? {}
  const known = bare.some((bare) => entries.has(bare.name) || stack.sets(bare.name))
  const differences = differencesOf(written, style).filter((difference) => !(known && difference === 'dollar'))
  if (differences.length === 0) return
  const entry = entries.get(name)
  const open = !hides(entry)
  const what = differences.map((difference) => differenceTexts[difference])
  const last = what.pop()
  const list = what.length > 0 ? `${what.join(', ')} and ${last}` : last
  const expands = parts.some((part) => typeof part !== 'string')
  const fixed = encodeValue(layer.get(name) ?? '', 'single')
  const quotes = expands ? 'double' : fixed.startsWith("'") ? 'single' : 'double'
  const shows = open && !expands && fixed.length <= 80 && !/[\n\r]/.test(fixed)
  yield {
    kind: 'read-differently',
    name,
    message: `Other readers read ${name} differently: its value has ${list}.`,
    ...valueSpot(layer, name, entry),
    remedy: differences.includes('escapes')
      ? `Write the characters themselves in ${quotes} quotes, without escapes.`
      : differences.includes('assignment-inside')
        ? 'If other programs read this file, move the value to its own file or write it as base64.'
        : shows
          ? `Write: ${name}=${printable(fixed)}`
          : `Put the whole value in ${quotes} quotes${quotes === 'double' ? ', with a backslash before each " \\ and $ that is text' : ''}.`,
  }
}

/** A shell reads neither a byte order mark nor CRLF as we do. */
function* fileNotices(layer: Layer): Generator<Notice> {
  const text = layer.text ?? ''
  const returns = text.includes('\r\n')
    ? 'CRLF line ends'
    : text.endsWith('\r')
      ? 'a carriage return at its end'
      : undefined
  const what = text.startsWith('\ufeff') ? 'a byte order mark' : returns
  if (what)
    yield {
      kind: 'read-differently',
      message: `${layer.name} has ${what}. A shell takes ${what === returns ? 'each carriage return as part of a value' : 'it as part of the first name'}.`,
      layer: layer.name,
      remedy: 'Save it as UTF-8 without a byte order mark, with LF line ends.',
    }
}

/**
 * Below a line that could not be understood, what looks like a name may be the end of a value, such as the last line of
 * a key in base64, so it is not repeated.
 */
function followsFlaw(layer: Layer, ranges: readonly { readonly nameStart: number }[]): boolean {
  let flawed = flawedLines.get(layer)
  if (!flawed) {
    flawed = new Set(layer.flaws.map(({ start }) => lineAt(layer, start)))
    flawedLines.set(layer, flawed)
  }
  return flawed.size > 0 && ranges.some(({ nameStart }) => flawed.has(lineAt(layer, nameStart) - 1))
}

/** Computed once for each layer, since every name asks. */
const flawedLines = new WeakMap<Layer, ReadonlySet<number>>()

/** `line 4`, `lines 1 and 3`. */
function linesSaid(layer: Layer, ranges: readonly AssignmentRange[]): string {
  const lines = ranges.slice(0, linesMax).map(({ nameStart }) => `${lineAt(layer, nameStart)}`)
  const more = ranges.length - lines.length
  const last = more > 0 ? `${more} more` : lines.pop()
  return lines.length === 0 ? `line ${last}` : `lines ${lines.join(', ')} and ${last}`
}

function* stackNotices(
  name: string,
  entries: StageEntries,
  layers: readonly Layer[],
  stage: Stage,
  ancestry: readonly string[],
): Generator<Notice> {
  const isKept = entries.get(name)?.empty === 'keep'
  for (const layer of layers)
    if (!isKept && layer.source !== 'file' && layer.get(name) === '')
      yield {
        kind: 'empty-ignored',
        name,
        message: `${name} is empty in ${layer.name}, so it counts as unset.`,
        layer: layer.name,
        remedy: layer.source === 'environment' ? `Run: unset ${name}` : 'Give it a value, or remove it.',
        ...valueSpot(layer, name, entries.get(name)),
      }
  if (ancestry.includes('development')) return
  const top = layers.findLast((layer) => layer.source === 'file' && layer.get(name) !== undefined)
  const own = layers.findLast((layer) => layer.staged && !layer.local && layer.get(name) !== undefined)
  if (top?.local && own)
    yield {
      kind: 'hidden-by-local',
      name,
      message: `${top.name} overrides ${name} from ${own.name}.`,
      ...valueSpot(top, name, entries.get(name)),
      remedy: `Remove the line, unless only this machine should differ in ${stage.name}.`,
    }
}
