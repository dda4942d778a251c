import { readLayer, stagesOf } from 'mappa'
import { parse } from 'yaml'
import { filledFromStart } from '../../guess/containers.js'
import type { Candidate } from '../../guess/finding.js'
import { ignoringLine, imageIn, isCopied } from '../../starts/image.js'
import { Runner } from '../../starts/run-through.js'
import type { Start, StartFiles } from '../../starts/start.js'
import { startsOf } from '../../starts/start-list.js'
import { stageOfStart } from '../../starts/told.js'
import type { LiftedFile, Target } from '../change.js'
import { layerOf } from '../edit/layers.js'
import { madeValue } from './made-value.js'
import { testStage } from './test-script.js'
import { withYamlPairs } from './yaml-pairs.js'

/** What another place must be given, so that the program works there as it did before the move. */
export interface Obligation {
  readonly place: 'clone' | 'tests' | 'container' | 'image' | 'job' | 'host'
  /** The place as a person knows it: `a clone`, `compose.yaml (web)`. */
  readonly name: string
  readonly stage: string
  /** Variables whose values only machine-local layers of this machine have. */
  readonly variables: readonly string[]
  /** The file with lines for it among the changes; null if nothing is written. */
  readonly written: string | null
  /** The command that gives the rest; null where a person sets it. */
  readonly run: string | null
}

/** Changes with those for other places, and what those places must be given. */
export interface Placed {
  readonly changes: readonly LiftedFile[]
  readonly obligations: readonly Obligation[]
}

/** Offers the lines of the project that give other places what the moved code had, and lists what those still need. */
export function withPlaces(moved: readonly Candidate[], changes: readonly LiftedFile[], target: Target): Placed {
  const given = moved.filter(
    ({ secret, value, stages }) => secret && (value !== undefined || Object.keys(stages).length > 0),
  )
  if (given.length === 0) return { changes, obligations: [] }
  const edited = new Edited(changes, target)
  const stages = [...new Set([...stagesOf(target.definition), ...(target.startedStages ?? [])])]
  const namesIn = (stage: string) =>
    given.filter(({ value, stages: own }) => own[stage] !== undefined || value !== undefined).map(({ name }) => name)
  const obligations: Obligation[] = []
  const add = (own: Obligation) => {
    if (own.variables.length > 0) obligations.push(own)
  }
  add({
    place: 'clone',
    name: 'a clone',
    stage: 'development',
    variables: namesIn('development'),
    written: null,
    run: 'mappa fill',
  })
  const tests = testsNeed(given, edited, target)
  if (tests) add(tests)
  for (const own of startsGiven(namesIn, { edited, stages, testsRun: tests !== undefined && tests.run === null }))
    add(own)
  for (const own of hosts(namesIn, stages)) add(own)
  return { changes: edited.changes(), obligations }
}

/** The files of a project as they are after the changes so far. */
class Edited {
  readonly #read: Target['read']
  readonly #base: StartFiles | undefined
  readonly #changes: Map<string, LiftedFile>

  constructor(changes: readonly LiftedFile[], { read, starts }: Target) {
    this.#read = read
    this.#base = starts
    this.#changes = new Map(changes.map((change) => [change.path, change]))
  }

  read(path: string): string | undefined {
    return this.#changes.get(path)?.after ?? this.#read(path)
  }

  write(path: string, after: string): void {
    const known = this.#changes.get(path)
    const before = known ? known.before : (this.#read(path) ?? null)
    this.#changes.set(path, { path, before, after, secret: known?.secret ?? false })
  }

  /** As starts see them. */
  files(): StartFiles | undefined {
    const base = this.#base
    if (!base) return undefined
    const own = [...this.#changes.keys()]
    return {
      ...base,
      paths: [...new Set([...base.paths, ...own])],
      read: (path) => this.#changes.get(path)?.after ?? base.read(path),
    }
  }

  changes(): readonly LiftedFile[] {
    return [...this.#changes.values()].filter(({ before, after }) => before !== after)
  }
}

/** The tests of a clone: they get made-up values in the layer of their stage, where they are shown to run in it. */
function testsNeed(
  given: readonly Candidate[],
  edited: Edited,
  { ignored, legendFile }: Target,
): Obligation | undefined {
  const manifest = edited.read('package.json') ?? ''
  if (!/"test"\s*:/.test(manifest) || manifest.includes('no test specified')) return undefined
  const name = 'tests in a clone'
  const needed = given.filter(({ value, stages }) => stages.test !== undefined || value !== undefined)
  const variables = needed.map((each) => each.name)
  // With another stage they must get the values that they had.
  const isSame =
    legendFile === undefined &&
    given.every(({ stages, value }) => {
      return (stages.test ?? value) === (stages.development ?? value)
    })
  const { manifest: after } = testStage(manifest, isSame)
  const layer = layerOf('test', false)
  const values = needed.map((each) => [each.name, madeValue(each.stages.test ?? each.value ?? '')] as const)
  const known = { place: 'tests' as const, name, variables }
  if (after === undefined || ignored?.has(layer) || values.some(([, value]) => value === undefined))
    return { ...known, stage: 'development', written: null, run: 'mappa fill' }
  let text = edited.read(layer) ?? '# Made-up values for tests.\n'
  for (const [variable, value] of values) {
    const own = readLayer(text)
    if (own.get(variable)) continue
    own.set(variable, value as string)
    text = own.toString().replace(new RegExp(`^(${variable}=.*)$`, 'm'), '$1 # mappa keep: made up')
  }
  edited.write(layer, text)
  if (after !== manifest) edited.write('package.json', after)
  return { ...known, stage: 'test', written: layer, run: null }
}

interface StartFacts {
  readonly edited: Edited
  readonly stages: readonly string[]
  /** True if tests have their values already. */
  readonly testsRun: boolean
}

/** Containers, images and jobs that make settings, or load layers. */
function startsGiven(
  namesIn: (stage: string) => readonly string[],
  { edited, stages, testsRun }: StartFacts,
): readonly Obligation[] {
  const files = edited.files()
  if (!files) return []
  const runner = new Runner(files)
  const found: Obligation[] = []
  const told = new Set<string>()
  for (const start of startsOf(files)) {
    const { form, program, name, place } = start
    if (!(form === 'container' || form === 'image' || form === 'job') || told.has(name)) continue
    const isTest = program.scripts.some((each) => /^test(?::|$)/.test(each))
    const { settles } = runner.through(program, new Set())
    const isReading = settles || program.loads.some(({ kind }) => kind === 'mappa')
    if (isTest ? testsRun : !isReading) continue
    const stage = stageOfStart(start, stages) ?? 'development'
    const variables = namesIn(stage).filter(
      (each) => !program.sets.has(each) && !isInImage(start, stage, each, files, edited),
    )
    if (variables.length === 0) continue
    told.add(name)
    const after = withLinesFor(start, stage, variables, edited)
    if (after !== undefined) edited.write(place.file, after)
    const run = form === 'container' ? startCommand(place.file, stage) : null
    found.push({ place: form, name, stage, variables, written: after === undefined ? null : place.file, run })
  }
  return found
}

/** Tells whether a container has this machine's own layer with a variable: then it works here as before. */
function isInImage({ image }: Start, stage: string, name: string, files: StartFiles, edited: Edited): boolean {
  if (image === undefined) return false
  const built = imageIn(files.read(image) ?? '')
  const ignoreFile = [`${image}.dockerignore`, '.dockerignore'].find((each) => files.read(each) !== undefined)
  const ignoring = ignoreFile === undefined ? '' : (files.read(ignoreFile) ?? '')
  return [layerOf(undefined, true), layerOf(stage, true)].some((layer) => {
    const isThere = readLayer(edited.read(layer) ?? '').get(name) !== undefined
    return isThere && built !== undefined && isCopied(built, layer) && ignoringLine(ignoring, layer) === undefined
  })
}

function startCommand(path: string, stage: string): string {
  return filledFromStart(path, stage === 'development' ? undefined : stage).command
}

/** The file that says how a start runs, with lines that hand these variables on; undefined if none fits. */
function withLinesFor(
  { form, name, command, place }: Start,
  stage: string,
  variables: readonly string[],
  edited: Edited,
): string | undefined {
  const text = edited.read(place.file)
  const part = / \(([^()]*)\)$/.exec(name)?.[1]
  if (text === undefined || part === undefined || form === 'image') return undefined
  if (form === 'container') {
    const { text: filled } = filledFromStart(place.file, stage === 'development' ? undefined : stage)
    return withYamlPairs(
      text,
      ['services', part],
      'environment',
      new Map(variables.map((each) => [each, filled(each)])),
    )
  }
  const pairs = new Map(variables.map((each) => [each, `\${{ secrets.${each} }}`]))
  const { jobs } = (parse(text) ?? {}) as { jobs?: Readonly<Record<string, { steps?: readonly { run?: unknown }[] }>> }
  const step = jobs?.[part]?.steps?.findIndex(({ run }) => run === command) ?? -1
  return step < 0 ? undefined : withYamlPairs(text, ['jobs', part, 'steps', step], 'env', pairs)
}

/** The hosts of all stages but those of development and tests. */
function hosts(namesIn: (stage: string) => readonly string[], stages: readonly string[]): readonly Obligation[] {
  return stages
    .filter((stage) => stage !== 'development' && stage !== 'test')
    .map((stage) => ({
      place: 'host',
      name: `the ${stage} host`,
      stage,
      variables: namesIn(stage),
      written: null,
      run: null,
    }))
}
