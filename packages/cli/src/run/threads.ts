import { availableParallelism } from 'node:os'
import { Worker } from 'node:worker_threads'
import type { SourceFile } from '../code/parse.js'
import { type FileFacts, fileFacts } from '../lift/facts.js'
import { projectFile } from '../project/files.js'
import { sumOf } from '../writing/record.js'

/** Fewer files are parsed faster than threads start. */
const sharedMin = 400
/** Files per batch of a thread: few enough that all end together. */
const batchCount = 20
/** More threads wait for the disk. */
const threadsMax = 8
/** A thread's memory: a file that needs more is reported as not parsed. Mebibytes. */
const memory = { maxOldGenerationSizeMb: 512, maxYoungGenerationSizeMb: 64 }

/** Files of a project, by their paths from its root. */
export interface Batch {
  readonly root: string
  readonly paths: readonly string[]
}

/**
 * What each file of a project says, in the order of the files. A large project is read and parsed by as many threads as there
 * are cores; files that are too much for one are reported as not parsed.
 */
export async function factsAcross(root: string, paths: Iterable<string>): Promise<readonly FileFacts[]> {
  const first: string[] = []
  const rest = paths[Symbol.iterator]()
  for (let next = rest.next(); !next.done; next = rest.next()) {
    first.push(next.value)
    if (first.length >= sharedMin) break
  }
  if (first.length < sharedMin || availableParallelism() < 2) {
    const facts = factsIn({ root, paths: first })
    for (let next = rest.next(); !next.done; next = rest.next())
      for (const each of factsIn({ root, paths: [next.value] })) facts.push(each)
    return facts
  }
  return inThreads(batchesOf(root, first, rest))
}

/** Facts about the files of a batch, one after the other. */
export function factsIn({ root, paths }: Batch): FileFacts[] {
  const facts: FileFacts[] = []
  for (const path of paths) {
    const file = projectFile(root, path)
    // A copy: a piece of a text would keep the whole of it.
    if (file) facts.push(structuredClone(summed(file)))
  }
  return facts
}

/** With the digest of a file in which something was found: it must be the same when it is edited. */
function summed(file: SourceFile): FileFacts {
  const facts = fileFacts(file)
  return facts.findings.length + facts.configured.length > 0 ? { ...facts, sum: sumOf(file.text) } : facts
}

/** Paths in groups; the first ones are those that have been looked up already. */
function* batchesOf(root: string, first: readonly string[], rest: Iterator<string>): Generator<Batch> {
  for (let at = 0; at < first.length; at += batchCount) yield { root, paths: first.slice(at, at + batchCount) }
  let paths: string[] = []
  for (let next = rest.next(); !next.done; next = rest.next()) {
    paths.push(next.value)
    if (paths.length < batchCount) continue
    yield { root, paths }
    paths = []
  }
  if (paths.length > 0) yield { root, paths }
}

async function inThreads(batches: Iterator<Batch>): Promise<readonly FileFacts[]> {
  const found: (readonly FileFacts[])[] = []
  let count = 0
  const work = async () => {
    let thread = startThread()
    for (let next = batches.next(); !next.done; next = batches.next()) {
      const at = count++
      try {
        found[at] = await thread.ask(next.value)
      } catch {
        // The thread has ended: one of the files was too much for it. Each is tried by itself.
        const alone: FileFacts[] = []
        const { root, paths } = next.value
        for (const path of paths) {
          thread = startThread()
          for (const each of await thread.ask({ root, paths: [path] }).catch(() => [tooMuch(path)])) alone.push(each)
          await thread.end()
        }
        found[at] = alone
        thread = startThread()
      }
    }
    await thread.end()
  }
  await Promise.all(Array.from({ length: Math.min(availableParallelism(), threadsMax) }, work))
  return found.flat()
}

/** A thread that is asked for one batch at a time. */
function startThread() {
  const worker = new Worker(new URL('./thread.js', import.meta.url), { resourceLimits: memory, stderr: true })
  let answer: (facts: readonly FileFacts[]) => void = () => {}
  let fail: (why: Error) => void = () => {}
  worker.on('message', (facts: readonly FileFacts[]) => answer(facts))
  worker.on('error', (error) => fail(error))
  worker.on('exit', () => fail(new Error('The thread has ended.')))
  const ask = (batch: Batch) =>
    new Promise<readonly FileFacts[]>((resolve, reject) => {
      ;[answer, fail] = [resolve, reject]
      worker.postMessage(batch)
    })
  return { ask, end: () => worker.terminate() }
}

function tooMuch(path: string): FileFacts {
  return { path, findings: [], configured: [], tested: [], unparsed: { line: 1, column: 1 } }
}
