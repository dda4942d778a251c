import { type Script, scriptsOf } from '../../starts/manifest.js'
import { commandsIn, type SimpleCommand } from '../../starts/shell.js'

/** Test runners that set `NODE_ENV=test` themselves, where nothing has set it (their documentation). */
const stagedRunners: ReadonlySet<string> = new Set(['jest', 'vitest', 'ava'])
/** Runtimes, which run tests only where their words say so. */
const runtimes = ['node', 'tsx', 'ts-node']
/** Test runners that run in the stage of their start, and what only measures them. */
const plainRunners: ReadonlySet<string> = new Set(['mocha', 'tap', 'jasmine', 'tape', 'c8', 'nyc', ...runtimes])

/** How the tests of a package get a stage. */
export interface TestStage {
  /** The manifest in which they run as stage `test`; undefined if that is not known to be so. */
  readonly manifest: string | undefined
}

/**
 * The stage of a package's tests. With `mayChange`, scripts that run them without a stage get one: `mappa with test -- mocha`. It is
 * `test` only if that is so for everything that the script `test` runs.
 */
export function testStage(manifest: string, mayChange: boolean): TestStage {
  const scripts = scriptsOf(manifest)
  const edits: { readonly at: number; readonly script: Script }[] = []
  const isTest = testsIn('test', scripts, edits, new Set())
  if (isTest !== true || (edits.length > 0 && !mayChange)) return { manifest: undefined }
  let after = manifest
  for (const { at, script } of edits.toSorted(
    (one, other) => other.script.start - one.script.start || other.at - one.at,
  )) {
    // A word of a script may be escaped in the manifest: then its place is not known.
    const written = manifest.slice(script.start + 1, script.end - 1)
    if (written !== script.command) return { manifest: undefined }
    const place = script.start + 1 + at
    after = `${after.slice(0, place)}mappa with test -- ${after.slice(place)}`
  }
  return { manifest: after }
}

/** True if all tests of a script run as stage `test`, with the edits noted; undefined if it runs none; false if that is not known. */
function testsIn(
  name: string,
  scripts: readonly Script[],
  edits: { readonly at: number; readonly script: Script }[],
  seen: Set<string>,
): boolean | undefined {
  const script = scripts.find((each) => each.name === name)
  if (!script || seen.has(name)) return undefined
  seen.add(name)
  let found: boolean | undefined
  for (const part of commandsIn(script.command)) {
    const own = testsInPart(part, script, scripts, edits, seen)
    if (own === false) return false
    found ??= own
  }
  return found
}

function testsInPart(
  part: SimpleCommand,
  script: Script,
  scripts: readonly Script[],
  edits: { readonly at: number; readonly script: Script }[],
  seen: Set<string>,
): boolean | undefined {
  const [first] = part.words
  if (!first || first.computed) return first ? false : undefined
  const words = part.words.map(({ text }) => text)
  const name = first.text.replace(/^.*\//, '')
  const inner = /^(?:npm|yarn|pnpm)$/.test(name)
    ? words.slice(1).find((each) => !/^(?:-.*|run|run-script)$/.test(each))
    : undefined
  if (inner !== undefined) return testsIn(inner === 't' ? 'test' : inner, scripts, edits, seen)
  const given = part.assignments.find((each) => each.name === 'MAPPA_STAGE' || each.name === 'NODE_ENV')
  const isStaged = given?.value === 'test'
  const runner = name === 'npx' ? words.find((each) => stagedRunners.has(each) || plainRunners.has(each)) : name
  if (runner === undefined) return undefined
  if (stagedRunners.has(runner) || words.slice(1, 4).some((each) => stagedRunners.has(each)))
    return given === undefined || isStaged
  if (runner === 'mappa') return words[1] === 'with' && words[2] === 'test' ? true : undefined
  if (!plainRunners.has(runner) || (runtimes.includes(runner) && !words.some((each) => /\btests?\b/.test(each))))
    return undefined
  if (isStaged) return true
  if (given !== undefined) return false
  edits.push({ at: first.start, script })
  return true
}
