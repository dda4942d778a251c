import { withoutCredentials } from '../../leak/credentials.js'
import { type Breach, breachOf, describeEntry } from '../../legend/constraints.js'
import type { AnyEntry } from '../../legend/entry.js'
import { hides } from '../../legend/entry.js'
import { SlipIndex } from '../../legend/text/slip-index.js'
import { valueType } from '../../legend/value-types.js'
import type { Fault } from '../faults/faults.js'
import { printable, quote } from '../faults/faults.js'
import type { FaultKind } from '../faults/kinds.js'
import type { Problem, Reading } from '../reading/read.js'
import { secrecyOf } from '../reading/secrecy.js'
import type { ExpansionProblem } from '../stack/expand.js'
import { nameSpot, valueSpot } from '../stack/places.js'
import type { Hit } from '../stack/stack.js'
import { convert } from '../value/convert.js'
import { splitList } from '../value/lists.js'
import { brokenRule } from './broken-rule.js'
import { freshRemedy, obtainRemedy, rightValue, setRemedy } from './remedies.js'

/** A problem in words: with its place, and what to do. */
export function problemFault(problem: Problem, reading: Reading): Fault {
  return tellers[problem.breach](problem, reading)
}

type Teller = (problem: Problem, reading: Reading) => Fault

/** For each way in which a variable is at fault, what tells it. */
const tellers: Readonly<Record<Problem['breach'], Teller>> = {
  missing: missing,
  expansion: expansionFault,
  'bare-dollar': bareDollar,
  'secret-in-browser': secretInBrowser,
  'schema-issue': functionFault,
  'read-failed': functionFault,
  'not-plain': functionFault,
  'needs-waiting': functionFault,
  placeholder: (problem) => {
    const { name, entry, where, base } = valueFacts(problem)
    return {
      ...base,
      message: `${name} still has the sample's placeholder${where}.`,
      remedy: obtainRemedy(entry, freshRemedy(name, entry) ?? `Put the real value there.`),
    }
  },
  'key-of-other-stage': (problem, { stage }) => {
    const { name, where, base } = valueFacts(problem)
    return {
      ...base,
      message: `${name} looks like a test key${where}, but this is stage ${stage.name}.`,
      remedy: `Use a live key in this stage. If this is one, give its entry a pattern for stage ${stage.name}.`,
    }
  },
  undeclared: ({ name, winner, meant = '' }) => ({
    kind: 'undeclared',
    name,
    message: `${name} is not in the legend. Did you mean ${meant}, which has no value?`,
    ...nameSpot((winner as Hit).layer, name),
    remedy: `Rename it to ${meant}. To keep it, add after its value: # mappa keep: reason`,
  }),
  'wrong-type': wrongValue,
  'not-allowed': wrongValue,
  'out-of-range': wrongValue,
  'wrong-length': wrongValue,
  'wrong-form': wrongValue,
  'wrong-item': wrongValue,
  'slow-pattern': (problem) => {
    const { name, entry, where, base } = valueFacts(problem)
    return {
      ...base,
      message: `The pattern of ${name} takes too long to match its value${where}: ${entry.pattern ?? entry.items?.pattern}`,
      remedy: 'Change the pattern: no part may match the same text in two ways, as (a+)+ and a*a* do.',
    }
  },
}

/** The source of a faulty value. A layer without places is named in the sentence. */
function valueFacts({ name, breach, ...problem }: Problem) {
  const [entry, winner] = [problem.entry as AnyEntry, problem.winner as Hit]
  const { layer, as = name } = winner
  const where = layer.text === undefined && !layer.fileOf ? ` in ${layer.name}` : ''
  const base = { kind: breach as FaultKind, name, layer: layer.name, ...valueSpot(layer, as, entry) }
  return { name, entry, winner, as, where, base }
}

/** A value at fault: the whole, or one item of a list. */
interface Culprit {
  readonly name: string
  readonly entry: AnyEntry
  /** Undefined if it cannot be shown. */
  readonly text: string | undefined
  readonly value: unknown
  readonly breach: Breach
}

function wrongValue(problem: Problem, reading: Reading): Fault {
  const { entry, winner, as, where, base } = valueFacts(problem)
  const culprit = itemCulprit(problem) ?? wholeCulprit(problem)
  const { name, breach, text } = culprit
  const rule = brokenRule(culprit.entry, culprit.value, breach)
  const found =
    hides(entry) || text === undefined ? undefined : shownValue(secrecyOf(reading).open(text, entry), breach)
  const remedy = rightValue(as, entry, winner, problem)
  return { ...base, message: sentence(name + where), ...(remedy !== undefined && { remedy }) }

  function sentence(subject: string): string {
    if (found === undefined) return `${subject} must ${rule}.`
    // The rule comes first if the value is of another kind; the value comes first if it is only beyond a limit.
    if (breach !== 'wrong-type' && breach !== 'not-allowed') return `${subject} is ${found}, but must ${rule}.`
    return `${name} must ${rule}, but is ${found}${where}${tooLong(culprit)}.`
  }
}

function wholeCulprit({ name, breach, ...problem }: Problem): Culprit {
  const [entry, { text }] = [problem.entry as AnyEntry, problem.winner as Hit]
  const value = entry.type === 'array' ? listOf(text, entry) : valueType(entry.type).read(text)
  return { name, entry, text, value, breach: breach as Breach }
}

/** The item of a list that is at fault, if one is. */
function itemCulprit({ name, breach, item, ...problem }: Problem): Culprit | undefined {
  if (breach !== 'wrong-item' || item === undefined) return undefined
  const [list, { text }] = [problem.entry as AnyEntry, problem.winner as Hit]
  const entry = list.items as AnyEntry
  const value = listOf(text, list)?.[item]
  const isText = typeof value === 'string'
  const converted = isText && !text.trim().startsWith('[') ? convert(value, entry) : { breach: breachOf(entry, value) }
  return {
    name: `Item ${item + 1} of ${name}`,
    entry,
    text: isText ? value : JSON.stringify(value),
    value: isText ? valueType(entry.type).read(value) : value,
    breach: ('breach' in converted ? converted.breach : undefined) ?? 'wrong-type',
  }
}

/** The items of a list as they are written, or as JSON has them. */
function listOf(text: string, { delimiter }: AnyEntry): readonly unknown[] | undefined {
  const word = text.trim()
  if (!word.startsWith('[')) return splitList(word, delimiter)
  const given = valueType('array').read(word)
  return Array.isArray(given) ? given : undefined
}

/** A number beyond its limits stands as it is, every other text in quotes. */
function shownValue(text: string, breach: Breach): string {
  return breach === 'out-of-range' && /^\s*[+-]?[\d.]+\s*$/.test(text) ? text.trim() : quote(text)
}

/** Past 2^53 a number would be another one than its text says. */
function tooLong({ breach, entry, text = '' }: Culprit): string {
  const isLong = breach === 'wrong-type' && entry.type === 'integer' && /^\s*[+-]?\d{16,}\s*$/.test(text)
  return isLong ? ', which has more digits than a number holds exactly' : ''
}

type FunctionBreach = 'schema-issue' | 'read-failed' | 'not-plain' | 'needs-waiting'

/** The message of a function in the legend. It may repeat the value, so it is dropped for a secret. */
function functionFault({ name, winner, said = [], breach, ...problem }: Problem): Fault {
  const [entry, kind] = [problem.entry as AnyEntry, breach as FunctionBreach]
  const spot = winner && { layer: winner.layer.name, ...valueSpot(winner.layer, winner.as ?? name, entry) }
  const words =
    hides(entry) || said.length === 0
      ? ''
      : `: ${said
          .slice(0, 3)
          .map((each) => printable(withoutCredentials(each)))
          .join('; ')}`
  const where = winner && winner.layer.text === undefined ? ` in ${winner.layer.name}` : ''
  const texts = {
    'schema-issue': [
      `The schema of ${name} rejects its value${where}${words || '.'}`,
      'Correct the value or the schema.',
    ],
    'read-failed': [
      `The function "read" of ${name} failed on its value${where}${words || '.'}`,
      'Correct the value or the function.',
    ],
    'not-plain': [
      `${name} reaches the browser, so it must be plain JSON data after "read" or "schema", but is not.`,
      'Return text, numbers, lists or plain objects, and convert them in the page.',
    ],
    'needs-waiting': [
      `The schema of ${name} is asynchronous, but settle is not.`,
      'Use settleAsync instead of settle, or run: mappa with -- …',
    ],
  } as const satisfies Readonly<Record<FunctionBreach, readonly [message: string, remedy: string]>>
  const [message, remedy] = texts[kind]
  return { kind, name, message, ...spot, remedy }
}

function expansionFault({ name, entry, winner, expansion }: Problem, reading: Reading): Fault {
  const { problem: kind, names, message } = expansion as ExpansionProblem
  const { layer } = winner as Hit
  const base = { kind, name, layer: layer.name, ...valueSpot(layer, name, entry) }
  const [culprit = name] = names
  const near = kind === 'unset' ? knownNames(reading).meantBy(culprit) : undefined
  switch (kind) {
    case 'unset':
      return {
        ...base,
        message: `${name} uses ${culprit}, but no layer sets ${culprit}.`,
        remedy: near
          ? `Write \${${near}} instead of \${${culprit}}.`
          : `${setRemedy(culprit, reading)} Or give a fallback: \${${culprit}:-…}`,
      }
    case 'asked-for':
      return {
        ...base,
        // The words are in the file beside the name, and may show only where the value may.
        message: `${name} needs ${culprit}, but it is not set${message && !hides(entry) ? `: ${printable(withoutCredentials(message))}` : '.'}`,
        remedy: setRemedy(culprit, reading),
      }
    case 'cycle':
      return {
        ...base,
        message: `${name} refers to itself: ${names.join(' → ')}.`,
        remedy: `Give ${name} a value without \${${names[1] ?? name}}.`,
      }
    case 'too-long':
      return {
        ...base,
        message: `${name} is larger than 1 MiB once it is expanded.`,
        remedy: 'Look for a value that repeats another one many times.',
      }
    case 'too-deep':
      return {
        ...base,
        message: `${name} refers to a chain of more than 200 variables.`,
        remedy: 'Shorten the chain: write some of the values out.',
      }
  }
}

const indexes = new WeakMap<Reading, SlipIndex>()

/** Every name that is declared or set; computed once, since each one that is unset is searched for. */
function knownNames(reading: Reading): SlipIndex {
  const index = indexes.get(reading) ?? new SlipIndex([...reading.entries.keys(), ...reading.stack.names()])
  indexes.set(reading, index)
  return index
}

function bareDollar({ name, entry, winner, bare }: Problem): Fault {
  const { layer } = winner as Hit
  const mentioned = bare?.name ?? ''
  return {
    kind: 'bare-dollar',
    name,
    message: `${name} contains $${mentioned} without braces, but ${mentioned} is a variable.`,
    layer: layer.name,
    ...valueSpot(layer, name, entry),
    remedy: `Write \${${mentioned}} for its value. To keep the text, put the whole value in single quotes.`,
  }
}

function secretInBrowser({ name, entry, winner, used = [], found = [] }: Problem, reading: Reading): Fault {
  const { layer } = winner as Hit
  const secrecy = secrecyOf(reading)
  const base = {
    kind: 'secret-in-browser' as const,
    name,
    layer: layer.name,
    ...valueSpot(layer, name, entry),
  }
  if (found.length > 0)
    return {
      ...base,
      ...valueSpot(layer, name, { ...(entry as AnyEntry), secret: true }),
      message: `${name} reaches the browser, but contains the value of ${found.join(' and ')}.`,
      remedy: 'Remove it from the value. If a quote closes too late, close it earlier.',
    }
  const secrets = used.filter((each) => secrecy.entryFor(each.name)?.secret).map((each) => each.name)
  const [stranger] = used.filter((each) => secrecy.entryFor(each.name) === undefined)
  if (secrets.length === 0 && stranger)
    return {
      ...base,
      message: `${name} reaches the browser, but uses ${stranger.name}, which is not in the legend and so counts as secret.`,
      remedy: `Write: ${stranger.name}: { type: 'string', reach: 'browser' }`,
    }
  return {
    ...base,
    message: `${name} reaches the browser, but uses ${secrets.length > 0 ? `the secret ${secrets.join(' and ')}` : 'a secret'}.`,
    remedy: 'Remove the secret from the value, or keep the variable on the server.',
  }
}

function cleared(name: string, entry: AnyEntry, { layer }: Hit): Fault {
  return {
    kind: 'missing',
    name,
    message: `${name} is required (${describeEntry(entry)}), but ${layer.name} clears it with an empty value.`,
    layer: layer.name,
    ...valueSpot(layer, name, entry),
    remedy: obtainRemedy(entry, 'Give it a value there, or remove the line to use a lower layer.'),
  }
}

function missing({ name, clearedBy, ...problem }: Problem, { entries, slips, stage, ancestry }: Reading): Fault {
  const entry = problem.entry as AnyEntry
  if (clearedBy) return cleared(name, entry, clearedBy)
  const slip = slips.get(name)
  const message = `${name} is required (${describeEntry(entry)}), but no layer sets it.`
  if (slip?.as !== undefined)
    return { kind: 'missing', name, message, ...nameSpot(slip.layer, slip.as), remedy: `Rename ${slip.as} to ${name}.` }
  const fresh = freshRemedy(name, entry)
  const where = setRemedy(name, { entries, stage, ancestry })
  if (fresh) return { kind: 'missing', name, message, remedy: `${where} ${fresh}` }
  const obtain = entry.obtain ? ` Obtain: ${entry.obtain}` : ''
  return { kind: 'missing', name, message, remedy: where + obtain }
}
