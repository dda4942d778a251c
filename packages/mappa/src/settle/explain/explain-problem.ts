import { withoutCredentials } from '../../leak/credentials.js'
import { describeEntry } from '../../legend/constraints.js'
import type { AnyEntry } from '../../legend/entry.js'
import { hides } from '../../legend/entry.js'
import { mask } from '../../legend/mask.js'
import { SlipIndex } from '../../legend/text/slip-index.js'
import type { Fault } from '../faults/faults.js'
import { printable, quote } from '../faults/faults.js'
import type { FaultKind } from '../faults/kinds.js'
import type { Problem, Reading } from '../reading/read.js'
import { secrecyOf } from '../reading/secrecy.js'
import type { ExpansionProblem } from '../stack/expand.js'
import { nameSpot, openText, valueSpot } from '../stack/places.js'
import type { Hit } from '../stack/stack.js'
import { splitList } from '../value/lists.js'
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
      message: `${name} still holds the placeholder of the sample instead of a value${where}.`,
      remedy: obtainRemedy(entry, freshRemedy(name, entry) ?? `Put the real ${name} there.`),
    }
  },
  'key-of-other-stage': (problem, { stage }) => {
    const { name, where, base } = valueFacts(problem)
    return {
      ...base,
      message: `${name} is a test key by its shape, and this is stage ${stage.name}${where}.`,
      remedy: `Use the live key, or say with pattern what its keys look like in ${stage.name}.`,
    }
  },
  undeclared: ({ name, winner, meant = '' }) => ({
    kind: 'undeclared',
    name,
    message: `${name} has no entry in the legend, and looks like a typo for ${meant}, which no layer sets.`,
    ...nameSpot((winner as Hit).layer, name),
    remedy: `Rename it to ${meant}, or keep it, with the reason after its value: # mappa keep: …`,
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
      message: `The pattern of ${name} takes too long on its value${where}: ${entry.pattern ?? entry.items?.pattern}`,
      remedy: 'Write it so that no part can match the same text in two ways, such as (a+)+ or a*a*.',
    }
  },
}

/** What is told of a value at fault: a layer without places is named in the sentence instead. */
function valueFacts({ name, breach, ...problem }: Problem) {
  const [entry, winner] = [problem.entry as AnyEntry, problem.winner as Hit]
  const { layer, as = name } = winner
  const where = layer.text === undefined && !layer.fileOf ? ` in ${layer.name}` : ''
  const base = { kind: breach as FaultKind, name, layer: layer.name, ...valueSpot(layer, as, entry) }
  return { name, entry, winner, as, where, base }
}

function wrongValue(problem: Problem, reading: Reading): Fault {
  const { name, entry, winner, as, where, base } = valueFacts(problem)
  const { text } = winner
  const shows = !hides(entry)
  const found = shows ? quote(secrecyOf(reading).open(text, entry)) : mask(text, entry)
  return {
    ...base,
    message: `${name} must be ${describeEntry(entry)}, and ${itemText(problem, entry, text) ?? `is ${found}`}${where}${tooLong(problem, entry, text)}.`,
    remedy: rightValue(as, entry, winner, problem),
  }
}

/** Which item of a list is at fault. */
function itemText({ breach, item }: Problem, entry: AnyEntry, text: string): string | undefined {
  if (breach !== 'wrong-item' || item === undefined) return undefined
  const found = splitList(text.trim(), entry.delimiter)?.[item]
  // In a JSON array an item may hold the delimiter.
  const shows = !hides(entry) && found !== undefined && !text.trim().startsWith('[')
  return shows ? `item ${item + 1} is ${quote(openText(found, entry))}` : `item ${item + 1} is not`
}

/** Past 2^53 a number would be another one than its text says. */
function tooLong({ breach }: Problem, entry: AnyEntry, text: string): string {
  const isLong =
    breach === 'wrong-type' && entry.type === 'integer' && !hides(entry) && /^\s*[+-]?\d{16,}\s*$/.test(text)
  return isLong ? '; it has more digits than a number holds exactly' : ''
}

type FunctionBreach = 'schema-issue' | 'read-failed' | 'not-plain' | 'needs-waiting'

/** What a function of the legend said. It may repeat the value, so of a secret nothing of it is shown. */
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
      `The schema of ${name} refuses its value${where}${words || '.'}`,
      `Fix the value, or the schema in the legend.`,
    ],
    'read-failed': [
      `The function read of ${name} failed on its value${where}${words || '.'}`,
      `Fix the value, or read in the legend.`,
    ],
    'not-plain': [
      `${name} reaches the browser, and what the legend makes of its value is not plain JSON data.`,
      'Give pages text, numbers, lists and plain objects, and make everything else from those there.',
    ],
    'needs-waiting': [
      `The schema of ${name} is asynchronous.`,
      'Use settleAsync instead of settle, or start with: mappa with -- …',
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
        message: `${name} is built on ${culprit}, and no layer sets that.`,
        remedy: near
          ? `Write \${${near}} instead of \${${culprit}}.`
          : `${setRemedy(culprit, reading)} Or write \${${culprit}:-…} with what should stand in for it.`,
      }
    case 'asked-for':
      return {
        ...base,
        // The words stand in the file beside the name, and may show only where the value may.
        message: `${name} needs ${culprit}, which is not set${message && !hides(entry) ? `: ${printable(withoutCredentials(message))}` : '.'}`,
        remedy: setRemedy(culprit, reading),
      }
    case 'cycle':
      return {
        ...base,
        message: `${name} is built on itself: ${names.join(' → ')}.`,
        remedy: `Give ${name} a value without \${${names[1] ?? name}}.`,
      }
    case 'too-long':
      return {
        ...base,
        message: `${name} grows past 1 MiB when it is expanded.`,
        remedy: 'Look for a name that is repeated in each of the values it is built on.',
      }
    case 'too-deep':
      return {
        ...base,
        message: `${name} is built on more than 200 names, each on the next.`,
        remedy: 'Write some of them out.',
      }
  }
}

const indexes = new WeakMap<Reading, SlipIndex>()

/** Every name that is declared or set; worked out once, since each one that is unset is looked for. */
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
    message: `${name} holds $${mentioned}, which stays text without braces, though ${mentioned} is a variable.`,
    layer: layer.name,
    ...valueSpot(layer, name, entry),
    remedy: `Write \${${mentioned}} to have its value there, or put single quotes around the whole value to keep the text.`,
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
      message: `${name} may reach the browser, and holds the text of ${found.join(' and ')}.`,
      remedy: 'Take it out of the value; if a quote closes too late there, close it earlier.',
    }
  const secrets = used.filter((each) => secrecy.entryFor(each.name)?.secret).map((each) => each.name)
  const [stranger] = used.filter((each) => secrecy.entryFor(each.name) === undefined)
  if (secrets.length === 0 && stranger)
    return {
      ...base,
      message: `${name} may reach the browser, and is built on ${stranger.name}, which no entry declares, so it counts as secret.`,
      remedy: `Write in the legend: ${stranger.name}: { type: 'string', reach: 'browser' }`,
    }
  return {
    ...base,
    message: `${name} may reach the browser, and is built on ${secrets.length > 0 ? `the secret ${secrets.join(' and ')}` : 'a secret'}.`,
    remedy: 'Build it on what everyone may see, or keep it on the server.',
  }
}

function cleared(name: string, entry: AnyEntry, { layer }: Hit): Fault {
  return {
    kind: 'missing',
    name,
    message: `${name} must be ${describeEntry(entry)}, and ${layer.name} clears it by setting it to nothing.`,
    layer: layer.name,
    ...valueSpot(layer, name, entry),
    remedy: obtainRemedy(entry, 'Give it a value there, or remove the line to use the layers below.'),
  }
}

function missing({ name, clearedBy, ...problem }: Problem, { entries, slips, stage, lines }: Reading): Fault {
  const entry = problem.entry as AnyEntry
  if (clearedBy) return cleared(name, entry, clearedBy)
  const slip = slips.get(name)
  const message = `${name} must be ${describeEntry(entry)}, and no layer sets it.`
  if (slip?.as !== undefined)
    return { kind: 'missing', name, message, ...nameSpot(slip.layer, slip.as), remedy: `Rename ${slip.as} to ${name}.` }
  const fresh = freshRemedy(name, entry)
  const where = setRemedy(name, { entries, stage, lines })
  if (fresh) return { kind: 'missing', name, message, remedy: `${where} ${fresh}` }
  const obtain = entry.obtain ? ` Obtain: ${entry.obtain}` : ''
  return { kind: 'missing', name, message, remedy: where + obtain }
}
