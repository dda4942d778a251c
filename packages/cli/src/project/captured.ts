import { type Fault, isName, printable, type Texts } from 'mappa'
import { readTextFile, standardInput, withoutCredentials } from 'mappa/command'
import { UsageError } from '../terminal/usage-error.js'

/** Capturing elsewhere may take a while. Milliseconds. */
const waitMax = 30_000

/** The text of a file that the command line names, or of standard input for `-`; a pipe is waited for. */
export async function givenText(option: string, file: string): Promise<string> {
  const name = file === '-' ? 'Standard input' : printable(withoutCredentials(file))
  const text: string | Fault | undefined =
    file === '-' ? await standardInput(name, waitMax) : readTextFile(file, name, { pipe: true, wait: waitMax })
  if (typeof text === 'string') return text
  throw new UsageError(text ? `${text.message} ${text.remedy}` : `${option} names ${name}, which does not exist.`)
}

/**
 * A process environment as tools show it: a JSON object of texts, a JSON array of `NAME=value`, entries with a NUL behind each
 * as Linux has them in `/proc`, or lines `NAME=value`, where a line that begins with no name goes on with the value above.
 * Undefined if it is not one of these.
 */
export function capturedTexts(text: string): Texts | undefined {
  const json = jsonOf(text)
  if (json !== undefined) return textsInJson(json)
  const lines = text.includes('\0') ? text.split('\0') : joinedLines(text.split(/\r?\n/))
  const pairs = lines.filter((line) => line !== '').map(pairOf)
  return pairs.length > 0 && pairs.every((pair) => pair !== undefined) ? Object.fromEntries(pairs) : undefined
}

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return undefined
  }
}

function textsInJson(json: unknown): Texts | undefined {
  if (Array.isArray(json)) {
    const pairs = json.map((each) => (typeof each === 'string' ? pairOf(each) : undefined))
    return pairs.every((pair) => pair !== undefined) ? Object.fromEntries(pairs) : undefined
  }
  if (typeof json !== 'object' || json === null) return undefined
  const members = Object.entries(json).filter(([, value]) => value !== null)
  if (members.some(([, value]) => !['string', 'number', 'boolean'].includes(typeof value))) return undefined
  return Object.fromEntries(members.map(([name, value]) => [name, String(value)]))
}

function pairOf(line: string): readonly [string, string] | undefined {
  const equals = line.indexOf('=')
  return equals > 0 ? [line.slice(0, equals), line.slice(equals + 1)] : undefined
}

/** Lines of which those that begin with no name go on with the one above: a value may span several. */
function joinedLines(lines: readonly string[]): string[] {
  const all: string[] = []
  for (const line of lines) {
    const equals = line.indexOf('=')
    // Hosts have names of their own, with characters that no variable of ours has.
    const begins = equals > 0 && (isName(line.slice(0, equals)) || /^[\w.()%-]+$/.test(line.slice(0, equals)))
    if (begins || all.length === 0) all.push(line)
    else all[all.length - 1] += `\n${line}`
  }
  return all.map((line, at) => (at === all.length - 1 ? line.replace(/\n+$/, '') : line))
}

/** The environment that `--environment` names, in place of this process's own. */
export async function capturedEnvironment(
  file: string | undefined,
): Promise<{ readonly environment?: Texts; readonly elsewhere?: true }> {
  if (file === undefined) return {}
  const environment = capturedTexts(await givenText('--environment', file))
  if (environment) return { environment, elsewhere: true }
  throw new UsageError('--environment takes lines of NAME=value, entries that end with NUL, or a JSON object of texts.')
}
