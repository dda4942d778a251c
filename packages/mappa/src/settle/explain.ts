import { explainFlaw } from '../format/flaw-texts.js'
import { encodeValue } from '../format/value.js'
import { boundsOf, describeEntry, numberOf } from '../legend/constraints.js'
import { explainContradiction } from '../legend/contradiction-texts.js'
import type { AnyEntry } from '../legend/entry.js'
import { type Legend, stagesOf } from '../legend/legend.js'
import { mask, withoutPassword } from '../legend/mask.js'
import { convert, textFor } from './convert.js'
import type { ExpansionProblem } from './expand.js'
import { type Fault, nearest, printable, quote } from './faults.js'
import type { Layer } from './layer.js'
import { joinList, splitList } from './lists.js'
import { flawSpot, nameSpot, valueSpot } from './places.js'
import {
  mayStandOnCommandLine,
  type Problem,
  type Reading,
  type Sources,
  type StageEntries,
  steeringNames,
} from './read.js'
import type { BrokenRule } from './rules.js'
import type { Hit } from './stack.js'
import type { Stage } from './stage.js'

/** What is wrong with a reading, in words: every fault with its place and what to do. */
export function explain(definition: Legend<unknown> | undefined, sources: Sources, reading: Reading): Fault[] {
  const { stage, layers, entries, contradictions, problems } = reading
  return [
    ...(sources.faults ?? []),
    ...contradictions.map((found): Fault => {
      const { message, remedy } = explainContradiction(found, definition as Legend<unknown>)
      const name = ['no-legend', 'stage-name', 'option'].includes(found.kind) ? {} : { name: found.name }
      return { kind: 'legend', ...name, message, layer: sources.legendName ?? 'the legend', remedy }
    }),
    ...stageFaults(definition, stage),
    ...layers.flatMap((layer) => [
      ...(layer.faults ?? []),
      ...flawFaults(layer, entries),
      ...steeringFaults(layer),
      ...refusals(layer, entries, stage),
    ]),
    ...problems.filter((problem) => !isTold(problem, layers)).map((problem) => problemFault(problem, reading)),
    ...reading.broken.map((rule) => ruleFault(rule, reading)),
  ]
}

/**
 * Whether a problem is told elsewhere: the line that sets a name could not be understood, so the name is not missing;
 * or the first name of a chain that is too deep has been named.
 */
function isTold({ name, breach, expansion }: Problem, layers: readonly Layer[]): boolean {
  if (expansion?.problem === 'too-deep') return expansion.names[0] !== name
  return breach === 'missing' && layers.some(({ flaws }) => flaws.some((flaw) => flaw.name === name))
}

function stageFaults(definition: Legend<unknown> | undefined, stage: Stage): Fault[] {
  const known = stagesOf(definition)
  if (known.includes(stage.name)) return []
  const near = nearest(stage.name, known)
  return [
    {
      kind: 'unknown-stage',
      message: `The stage must be one of ${known.join(', ')}, and is ${quote(stage.name)}.`,
      remedy: near ? `Write: ${near}` : "More stages are named in the legend: legend(…, { stages: ['…'] }).",
    },
  ]
}

function flawFaults(layer: Layer, entries: StageEntries): Fault[] {
  return layer.flaws.map((found) => {
    const { flaw: kind, name } = found
    const entry = name === undefined ? undefined : entries.get(name)
    const { message, remedy } = explainFlaw(kind, name)
    const meant = kind === 'bad-name' ? meantName(layer, found.start, entries) : undefined
    return {
      kind,
      ...(name !== undefined && { name }),
      message,
      ...flawSpot(layer, found, entry),
      remedy: meant === undefined ? remedy : `Rename it to ${meant}.`,
    }
  })
}

/** The entry that a name is meant to be that holds what no name may: `COLLECTOR-PORT`. */
function meantName({ text = '' }: Layer, start: number, entries: StageEntries): string | undefined {
  const [written = ''] = /^[^=\r\n]*/.exec(text.slice(start)) ?? []
  const name = written.trim().replace(/[^A-Za-z0-9_]+/g, '_')
  return [name, name.toUpperCase()].find((each) => entries.has(each))
}

function steeringFaults(layer: Layer): Fault[] {
  if (layer.source !== 'file') return []
  return steeringNames
    .filter((name) => layer.get(name) !== undefined)
    .map((name) => ({
      kind: 'stage-in-layer',
      name,
      message: `${name} decides which layer files are read, so none of them can set it.`,
      ...nameSpot(layer, name),
      remedy: `Remove the line, and set it where the program is started: ${name}=…`,
    }))
}

function refusals(layer: Layer, entries: StageEntries, stage: Stage): Fault[] {
  if (layer.source !== 'command-line') return []
  const refused = [...layer.names()].filter((name) => !mayStandOnCommandLine(entries.get(name)))
  return refused.map((name) => {
    const declared = entries.has(name)
    const near = nearest(name, entries.keys())
    return {
      kind: 'refused',
      ...(declared && { name }),
      message: declared
        ? `${name} is secret, so it cannot be given on the command line, where other processes can read it.`
        : 'A name given on the command line has no entry in the legend, so it is taken for a secret and refused.',
      layer: layer.name,
      remedy: declared
        ? `Write ${name}=… in .env.${stage.name}.local instead, or set it in the process environment.`
        : near
          ? `Write: ${near}`
          : 'Add an entry for it to the legend first.',
    }
  })
}

function problemFault(problem: Problem, reading: Reading): Fault {
  const { name, entry, breach, winner, clearedBy } = problem
  const { stage } = reading
  if (problem.expansion) return expansionFault(problem, problem.expansion, reading)
  if (breach === 'bare-dollar') return bareDollar(problem)
  if (breach === 'secret-in-browser') return secretInBrowser(problem, reading)
  if (!entry || breach === 'missing' || breach === 'expansion')
    return clearedBy ? cleared(name, entry as AnyEntry, clearedBy) : missing(name, entry as AnyEntry, reading)
  if (breach === 'schema-issue' || breach === 'read-failed' || breach === 'not-plain' || breach === 'needs-waiting')
    return functionFault(problem, entry, breach)
  const { layer, text, as = name } = winner as Hit
  // A layer without places is named in the sentence instead.
  const where = layer.text === undefined && !layer.fileOf ? ` in ${layer.name}` : ''
  const base = { kind: breach, name, layer: layer.name, ...valueSpot(layer, as, entry) }
  if (breach === 'placeholder')
    return {
      ...base,
      message: `${name} still holds what the sample puts in its place, and is no value${where}.`,
      remedy: entry.obtain ? `Obtain: ${entry.obtain}` : (freshRemedy(name, entry) ?? `Put the real ${name} there.`),
    }
  if (breach === 'key-of-other-stage')
    return {
      ...base,
      message: `${name} is a test key by its shape, and this is stage ${stage.name}${where}.`,
      remedy: `Take the live key, or say with pattern what its keys look like in ${stage.name}.`,
    }
  const found = entry.secret ? mask(text, entry) : quote(withoutPassword(text))
  return {
    ...base,
    message: `${name} must be ${describeEntry(entry)}, and ${itemText(problem, entry, text) ?? `is ${found}`}${where}${tooLong(problem, entry, text)}.`,
    remedy: rightValue(as, entry, winner as Hit, problem),
  }
}

/** Which item of a list is at fault. */
function itemText({ breach, item }: Problem, entry: AnyEntry, text: string): string | undefined {
  if (breach !== 'wrong-item' || item === undefined) return undefined
  const found = splitList(text.trim(), entry.delimiter)?.[item]
  // In a JSON array an item may hold the delimiter.
  const shows = !entry.secret && found !== undefined && !text.trim().startsWith('[')
  return shows ? `item ${item + 1} is ${quote(withoutPassword(found))}` : `item ${item + 1} is none`
}

/** Past 2^53 a number would be another one than its text says. */
function tooLong({ breach }: Problem, { secret, type }: AnyEntry, text: string): string {
  const isLong = breach === 'wrong-type' && type === 'integer' && !secret && /^\s*[+-]?\d{16,}\s*$/.test(text)
  return isLong ? '; it has more digits than a number holds exactly' : ''
}

/** What a function of the legend said. It may repeat the value, so of a secret nothing of it is shown. */
function functionFault(
  { name, winner, said = [] }: Problem,
  entry: AnyEntry,
  kind: 'schema-issue' | 'read-failed' | 'not-plain' | 'needs-waiting',
): Fault {
  const spot = winner && { layer: winner.layer.name, ...valueSpot(winner.layer, winner.as ?? name, entry) }
  const words = entry.secret || said.length === 0 ? '' : `: ${said.slice(0, 3).map(printable).join('; ')}`
  const where = winner && winner.layer.text === undefined ? ` in ${winner.layer.name}` : ''
  const texts = {
    'schema-issue': [
      `The schema of ${name} refuses its value${where}${words || '.'}`,
      `Mend the value, or the schema in the legend.`,
    ],
    'read-failed': [
      `The function read of ${name} failed on its value${where}${words || '.'}`,
      `Mend the value, or read in the legend.`,
    ],
    'not-plain': [
      `${name} reaches the browser, and what the legend makes of its value is no plain JSON data.`,
      'Give text, numbers, lists and plain objects to pages, and make the rest of them there.',
    ],
    'needs-waiting': [
      `The schema of ${name} takes waiting.`,
      'Take settleAsync instead of settle, or start with: mappa with -- …',
    ],
  } as const
  const [message, remedy] = texts[kind]
  return { kind, name, message, ...spot, remedy }
}

/** A rule that does not hold, with the variables it read and where their values come from. */
function ruleFault({ sentence, names, said }: BrokenRule, { entries, stack, settings }: Reading): Fault {
  const hits = names.map((name) => ({ name, hit: stack.find(name) }))
  const places = hits.map(({ name, hit }) => {
    const spot = hit && valueSpot(hit.layer, hit.as ?? name, entries.get(name))?.place
    return `${name} (${spot ? `${spot.file}:${spot.line}` : (hit?.layer.name ?? 'not set')})`
  })
  const [first] = hits.flatMap(
    ({ name, hit }) => (hit && valueSpot(hit.layer, hit.as ?? name, entries.get(name))) ?? [],
  )
  const inSecret = names.some((name) => settings.some((each) => each.name === name && each.entry.secret))
  const failed = said === undefined ? '' : ` The rule failed${inSecret ? '.' : `: ${printable(said)}`}`
  const ended = /[.!?]$/.test(sentence) ? sentence : `${sentence}.`
  return {
    kind: 'rule',
    ...(names[0] !== undefined && { name: names[0] }),
    message: printable(ended) + failed,
    ...first,
    remedy:
      places.length === 0
        ? 'Mend the rule in the legend.'
        : `${said === undefined ? 'Change' : 'Mend the rule, or change'} one of these: ${places.join(', ')}.`,
  }
}

function expansionFault(
  problem: Problem,
  { problem: kind, names, message }: ExpansionProblem,
  reading: Reading,
): Fault {
  const { name, entry, winner } = problem
  const { layer } = winner as Hit
  const base = { kind, name, layer: layer.name, ...valueSpot(layer, name, entry) }
  const [culprit = name] = names
  const known = [...reading.entries.keys(), ...reading.stack.names()].filter((each) => each !== culprit)
  const near = kind === 'unset' ? nearest(culprit, known) : undefined
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
        message: `${name} needs ${culprit}, which is not set${message && entry && !entry.secret ? `: ${printable(message)}` : '.'}`,
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
        remedy: 'Look for a name that is repeated in each value it is built on.',
      }
    case 'too-deep':
      return {
        ...base,
        message: `${name} is built on more than 200 names, each on the next.`,
        remedy: 'Write some of them out.',
      }
  }
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
    remedy: `Write \${${mentioned}} to have its value there, or put single quotes round the whole to keep the text.`,
  }
}

function secretInBrowser({ name, entry, winner, used = [] }: Problem, { entries }: Reading): Fault {
  const { layer } = winner as Hit
  const secrets = used.filter((each) => entries.get(each.name)?.secret).map((each) => each.name)
  return {
    kind: 'secret-in-browser',
    name,
    message: `${name} may reach the browser, and is built on ${secrets.length > 0 ? `the secret ${secrets.join(' and ')}` : 'a secret'}.`,
    layer: layer.name,
    ...valueSpot(layer, name, entry),
    remedy: 'Build it on what everyone may see, or keep it on the server.',
  }
}

function rightValue(name: string, entry: AnyEntry, { layer, text }: Hit, { breach, item }: Problem): string {
  // Nobody can tell what a number alone was to be.
  if (entry.type === 'duration' && !entry.secret && /^\s*\d+(?:\.\d+)?\s*$/.test(text))
    return `Say the unit, for example ${name}=${text.trim()}s or ${name}=${text.trim()}ms.`
  const right = entry.secret
    ? undefined
    : (meantValue(text, entry) ??
      (item === undefined ? (entry.examples?.[0] ?? entry.default ?? entry.enum?.[0]) : undefined))
  const meant = right === undefined ? undefined : textFor(entry, right)
  // What was meant is made of what is there, which may hold a password that nobody declared secret.
  if (meant !== undefined && withoutPassword(meant) === meant)
    return `${layer.source === 'file' ? 'Write' : 'Set'}: ${name}=${printable(writtenAs(meant, layer.source))}`
  if (item !== undefined) return `Make item ${item + 1} ${describeEntry(entry.items as AnyEntry)}.`
  if (entry.obtain) return `Obtain: ${entry.obtain}`
  const limit = breach === 'out-of-range' ? nearestLimit(text, entry) : undefined
  const example = limit === undefined ? '.' : `, for example: ${name}=${limit}`
  return `Make it ${describeEntry(entry)}${example}`
}

/** The limit that a number is beyond, as the legend has it: a value that is right, though nobody may have meant it. */
function nearestLimit(text: string, entry: AnyEntry): string | undefined {
  const { minimum, maximum } = boundsOf(entry)
  const value = numberOf(entry.type === 'duration' || entry.type === 'bytes' ? text.trim() : Number(text), entry)
  const isAbove = value !== undefined && value > maximum
  const limit = isAbove ? (entry.maximum ?? maximum) : (entry.minimum ?? minimum)
  const written = typeof limit === 'number' ? textFor(entry, limit) : limit
  return !entry.secret && 'value' in convert(written, entry) ? written : undefined
}

/** As it has to stand in a layer file. */
function writtenAs(text: string, source: Layer['source']): string {
  return source === 'file' ? encodeValue(text) : text
}

/** What the person most likely meant: letters typed for digits, junk behind a number, a slip in one of a few words. */
function meantValue(text: string, entry: AnyEntry): string | undefined {
  const words = entry.enum?.map(String) ?? (entry.type === 'boolean' ? ['true', 'false'] : [])
  if (words.length > 0) return nearest(text.trim(), words)
  const fits = (guess: string) => 'value' in convert(guess, entry)
  const word = text.trim()
  if (entry.type === 'duration' || entry.type === 'bytes')
    return [word.toLowerCase(), word.replace(/[_,](?=\d{3})/g, '')].find(fits)
  if (entry.type === 'array') {
    const divided = word.includes(',') ? word : word.replace(/\s*[;|]\s*|\s+/g, ',')
    return [divided, listOfMeant(word, entry)].find((each) => each !== undefined && each !== word && fits(each))
  }
  if (entry.type === 'string' && (entry.schemes || entry.format === 'uri'))
    return (entry.schemes ?? ['https'])
      .map((scheme) => `${scheme}://${word}`)
      .find((each) => /^[^\s:]+:\/\/[^\s/]+\.[^\s/]/.test(each) && fits(each))
  if (!['integer', 'number', 'port'].includes(entry.type)) return undefined
  const guesses = [
    // Hexadecimal, exponents and 4100.0 say a number in another way.
    /^(?:0[xXoObB][0-9A-Fa-f]+|[+-]?\d+(?:\.\d*)?(?:[eE][+-]?\d+)?)$/.test(word) ? String(Number(word)) : '',
    text.replace(/[oO]/g, '0').replace(/[lI]/g, '1'),
    text.replace(/[_, ]/g, ''),
    /^\s*[+-]?\d+(?:\.\d+)?/.exec(text)?.[0] ?? '',
  ]
  return guesses.map((guess) => guess.trim()).find(fits)
}

/** A list whose wrong items are replaced by what was most likely meant. */
function listOfMeant(text: string, { items, delimiter }: AnyEntry): string | undefined {
  const found = text.startsWith('[') ? undefined : splitList(text, delimiter)
  if (!items || !found) return undefined
  const meant = found.map((each) => ('value' in convert(each, items) ? each : meantValue(each, items)))
  return meant.includes(undefined) ? undefined : joinList(meant, delimiter)
}

/** How to make a fresh value, as a command that can be pasted. */
function freshRemedy(name: string, { generate }: AnyEntry): string | undefined {
  if (!generate) return undefined
  const { bytes, text } = generate
  const random = `Buffer.from(crypto.getRandomValues(new Uint8Array(${bytes}))).toString('${text}')`
  return `Make one: node -p "'${name}=' + ${random}"`
}

function cleared(name: string, entry: AnyEntry, { layer }: Hit): Fault {
  return {
    kind: 'missing',
    name,
    message: `${name} must be ${describeEntry(entry)}, and ${layer.name} clears it by setting it to nothing.`,
    layer: layer.name,
    ...valueSpot(layer, name, entry),
    remedy: entry.obtain
      ? `Obtain: ${entry.obtain}`
      : 'Give it a value there, or remove the line to use the layers below.',
  }
}

function missing(name: string, entry: AnyEntry, { layers, entries, stage }: Reading): Fault {
  const similar = similarName(name, layers, entries)
  const message = `${name} must be ${describeEntry(entry)}, and no layer sets it.`
  if (similar) return { kind: 'missing', name, message, ...similar.spot, remedy: `Rename ${similar.name} to ${name}.` }
  const fresh = freshRemedy(name, entry)
  if (fresh) return { kind: 'missing', name, message, remedy: `${fresh} >> .env.${stage.name}.local` }
  const obtain = entry.obtain ? ` Obtain: ${entry.obtain}` : ''
  return { kind: 'missing', name, message, remedy: setRemedy(name, { entries, stage }) + obtain }
}

/** Where a name gets a value: secrets on this machine alone. */
function setRemedy(name: string, { entries, stage }: Pick<Reading, 'entries' | 'stage'>): string {
  const isSecret = entries.get(name)?.secret
  return `Write ${name}=… in .env.${stage.name}${isSecret ? '.local, which stays on this machine' : ''}.`
}

/** A name that a layer file sets, no entry declares, and that looks like the missing one. */
function similarName(name: string, layers: readonly Layer[], entries: StageEntries) {
  for (const layer of layers) {
    if (layer.source !== 'file') continue
    const other = nearest(
      name,
      [...layer.names()].filter((known) => !entries.has(known)),
    )
    if (other !== undefined) return { name: other, spot: nameSpot(layer, other) }
  }
  return undefined
}
