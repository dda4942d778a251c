import { Worker } from 'node:worker_threads'
import { type Fault, type Legend, type Sources, survey } from 'mappa'

/** Milliseconds that a pattern may take on a value. */
const patternMax = 1000

/** A pattern to be tried on the value of a variable. */
interface Trial {
  readonly name: string
  readonly pattern: string
  readonly text: string
}

interface PatternWords {
  readonly pattern?: string
  readonly items?: { readonly pattern?: string }
  readonly stages?: Readonly<Record<string, PatternWords>>
}

/**
 * A legend without the patterns that take too long on this machine's values, and a fault for each of those. Patterns are
 * the project's own code, and one of them can take longer than the universe is old.
 */
export async function withoutSlowPatterns(
  definition: Legend | undefined,
  sources: Sources,
  legendName = 'the legend',
): Promise<{ readonly definition: Legend | undefined; readonly faults: readonly Fault[] }> {
  const stage = typeof sources.stage === 'string' ? sources.stage : sources.stage.name
  const entries = Object.entries((definition?.entries ?? {}) as Readonly<Record<string, PatternWords | null>>)
  const riskyEntries = new Map(entries.filter(([, entry]) => patternsIn(entry, stage).some(isRisky)))
  if (!definition || riskyEntries.size === 0) return { definition, faults: [] }
  const plain = without(definition, new Set(riskyEntries.keys()))
  const { given } = survey(plain, sources)
  const trials = given.flatMap(({ name, text }): Trial[] => {
    const entry = riskyEntries.get(name)
    if (entry === undefined) return []
    // Of a list each item is tried, and the whole is no shorter.
    return patternsIn(entry, stage).map((pattern) => ({ name, pattern, text }))
  })
  const slow = new Map((await slowOf(trials)).map(({ name, pattern }) => [name, pattern]))
  const faults = [...slow].map(
    ([name, pattern]): Fault => ({
      kind: 'slow-pattern',
      name,
      message: `The pattern of ${name} takes more than a second on its value: ${pattern}`,
      layer: legendName,
      remedy: 'Write it so that no part can match the same text in two ways, such as (a+)+ or a*a*.',
    }),
  )
  return { definition: slow.size > 0 ? without(definition, new Set(slow.keys())) : definition, faults }
}

function patternsIn(entry: PatternWords | null, stage: string): string[] {
  const own = typeof entry === 'object' && entry !== null ? { ...entry, ...entry.stages?.[stage] } : {}
  return [own.pattern, own.items?.pattern].filter((each) => typeof each === 'string')
}

/** Only repetition can take long: two of them after one another, one in another, or a reference to what was matched. */
function isRisky(pattern: string): boolean {
  if (/\\[1-9k]/.test(pattern)) return true
  // Signs that are escaped or stand in a class repeat nothing.
  const plain = pattern.replace(/\\./g, 'x').replace(/\[[^\]]*\]/g, 'x')
  return (plain.match(/[*+]|\{\d+,/g) ?? []).length > 1
}

function without(definition: Legend, names: ReadonlySet<string>): Legend {
  const strip = ({ pattern, items, stages, ...words }: PatternWords): PatternWords => ({
    ...words,
    ...(items && { items: { ...items, pattern: '' } }),
    ...(stages && { stages: Object.fromEntries(Object.entries(stages).map(([stage, own]) => [stage, strip(own)])) }),
  })
  const entries = Object.entries(definition.entries as Readonly<Record<string, PatternWords>>)
  return {
    ...definition,
    entries: Object.fromEntries(
      entries.map(([name, entry]) => [name, names.has(name) ? strip(entry) : entry]),
    ) as unknown as Legend['entries'],
  }
}

/** Tries them one after the other, beside this thread, which goes on where the worker does not answer in time. */
async function slowOf(trials: readonly Trial[]): Promise<Trial[]> {
  const slow: Trial[] = []
  for (let next = 0; next < trials.length; ) {
    const done = await tried(trials.slice(next))
    next += done
    const stuck = trials[next]
    if (stuck) slow.push(stuck)
    next++
  }
  return slow
}

const worker = `const { parentPort, workerData } = require('node:worker_threads')
for (const { pattern, text } of workerData) {
  try { new RegExp(pattern, 'u').test(text) } catch {}
  parentPort.postMessage(0)
}`

/** How many trials came to an end before one did not. */
function tried(trials: readonly Trial[]): Promise<number> {
  return new Promise((resolve, reject) => {
    const running = new Worker(worker, { eval: true, workerData: trials })
    let done = 0
    const end = () => void running.terminate().then(() => resolve(done))
    // A start of the worker counts for the first.
    let timer = setTimeout(end, patternMax)
    running.on('message', () => {
      done++
      clearTimeout(timer)
      timer = setTimeout(end, patternMax)
    })
    running.once('error', reject)
    running.once('exit', () => {
      clearTimeout(timer)
      resolve(done)
    })
  })
}
