import { createRequire } from 'node:module'
import { dirname, join } from 'node:path'
import { entriesOf, isStageName, type Legend, printable, stagesOf } from 'mappa'
import { repositoryTop, textAt } from 'mappa/command'
import { holdsCode, type SourceFile } from '../../code/parse.js'
import { counted } from '../../declared/counted.js'
import { namesWithFiles } from '../../declared/names-with-files.js'
import { holdersOf } from '../../edits/holders.js'
import type { Candidate } from '../../guess/finding.js'
import { candidateText, differencesText, leftText, overviewText, unparsedText } from '../../lift/candidates-text.js'
import type { Held, Installed, Target } from '../../lift/change.js'
import { brokenChange, changesFor, sorted } from '../../lift/edit/edit.js'
import { heldTexts, withHeldTexts } from '../../lift/edit/held.js'
import { hiddenTexts } from '../../lift/edit/hidden.js'
import { differsByInstall, sectionWith } from '../../lift/edit/installed.js'
import { nextSteps } from '../../lift/edit/next-steps.js'
import { isTelling } from '../../lift/facts.js'
import { liftJson } from '../../lift/json.js'
import { gathered } from '../../lift/lift.js'
import { otherFilesOf, otherFilesText } from '../../lift/other-files.js'
import { type Placed, withPlaces } from '../../lift/places/obligations.js'
import { obligationsText } from '../../lift/places/obligations-text.js'
import { heldElsewhere } from '../../lift/proof/elsewhere.js'
import { provedOfLayers } from '../../lift/proof/layer-texts.js'
import { neededAtStart } from '../../lift/proof/needed.js'
import { ProjectCode } from '../../lift/proof/project-code.js'
import { provedReads } from '../../lift/proof/read-values.js'
import { provedInArms } from '../../lift/proof/stage-arms.js'
import { provedInStages } from '../../lift/proof/stage-values.js'
import { summaryText } from '../../lift/summary.js'
import { confirmed } from '../../project/carry-out.js'
import { readOnce } from '../../project/changing.js'
import {
  committedText,
  foldersApart,
  ignoredFiles,
  isVersioned,
  layerNamesIn,
  legendsBelow,
  projectPaths,
  textFiles,
  uncommittedPaths,
} from '../../project/files.js'
import { tellReadable, tellRecovered } from '../../project/made-file.js'
import { contradictions, openProject, type Project, type ProjectOptions } from '../../project/project.js'
import { startFilesOf } from '../../project/start-files.js'
import { factsAcross } from '../../run/threads.js'
import { buildScript } from '../../starts/manifest.js'
import { startsOf } from '../../starts/start-list.js'
import { diffText } from '../../terminal/diff.js'
import { jsonReport } from '../../terminal/json-report.js'
import { paragraph } from '../../terminal/paragraph.js'
import { say } from '../../terminal/say.js'
import { counting, isAsked, jsonText, output, talk } from '../../terminal/terminal.js'
import { type Ended, exitCodes, UsageError } from '../../terminal/usage-error.js'
import { sumOf } from '../../writing/record.js'
import { WriteError, writeFiles } from '../../writing/write.js'

/** Options of `mappa lift`. */
export interface LiftOptions extends ProjectOptions {
  readonly json?: boolean
  readonly apply?: boolean
  /** Names of candidates, separated by commas; all by default. */
  readonly only?: string
  /** Names of candidates to explain, separated by commas. */
  readonly why?: string
  /** True to move what is named without a proof that the program has the same values. */
  readonly unproved?: boolean
  /** True to show how each file would change. */
  readonly diff?: boolean
  /** True to ask about each. */
  readonly pick?: boolean
  /** True if compose files are to take their values from layers. */
  readonly compose?: boolean
  /** True to run the project's own type check or build afterwards. */
  readonly build?: boolean
  /** True to say how far it is where there is no terminal, too. */
  readonly progress?: boolean
  /** True to edit although there are uncommitted changes. */
  readonly uncommitted?: boolean
}

/** The check at the end of a run that has written. */
type Check = (options: ProjectOptions & { readonly json?: boolean }) => Promise<Ended>

/** `mappa lift`: finds settings and keys in code, shows the moves, and with `--apply` makes them. */
export async function lift(options: LiftOptions, check: Check): Promise<Ended> {
  if (options.pick && (options.json || !isAsked())) throw new UsageError('--pick needs a terminal. Use --only here.')
  const project = await openProject(options)
  const names = namesWithFiles(project.definition)
  const apart = foldersApart(project.root)
  const paths = [...projectPaths(project.root, apart)].filter(isTelling)
  const own = { code: paths.filter(holdsCode), compose: options.compose }
  const startedStages = stagesStarted(project)
  const starts = startFilesOf(project)
  const target: Target = { ...targetOf(project), ...own, ...(await layersApart(project)), startedStages, starts }
  const looked = counting(paths, (count) => `Searched ${count} of ${counted(paths.length, 'file')} …`, options.progress)
  const facts = await factsAcross(project.root, looked)
  const held = heldTexts(layerNamesIn(project.root), target.read)
  const sums = new Map(facts.flatMap(({ path, sum }) => (sum === undefined ? [] : [[path, sum] as const])))
  const {
    candidates: found,
    secrets,
    unparsed,
    files,
    ...leaving
  } = gathered(facts, names, options.compose, entriesOf(target.definition), held)
  const code = new ProjectCode(target)
  const stages = [...stagesOf(target.definition), ...startedStages]
  const started = startsOf(starts)
  const chosen = provedInArms(provedInStages(onlyOf(found, options.only), { code, stages }), { code, stages })
  const reached = heldElsewhere(chosen, code, target, starts.paths, started)
  const entries = [...new Set(started.flatMap(({ program }) => program.modules))]
  const proved = provedReads(neededAtStart(reached, code, entries), code, entries)
  const candidates = withHeldTexts(provedOfLayers(proved, held, { starts, stages }), held, target)
  const { movable, held: staying } = sorted(candidates, { ...target, unproved: options.unproved === true })
  const terminal = output()
  // Low confidence alone moves nothing: such a candidate must be named.
  const sure = options.only === undefined ? movable.filter(({ confidence }) => confidence !== 'low') : movable
  const placed = (moved: readonly Candidate[]) => withPlaces(moved, changesFor(moved, target), target)
  const others = otherFilesOf(othersOf(project.root, apart))
  if (movable.length + staying.length === 0 && !options.json) {
    const [member] = project.legendFile === undefined ? legendsBelow(project.root) : []
    const next = member === undefined ? '' : `\nThere is a legend in ${member}.\n  → Run: mappa lift --root ${member}`
    const where = files === 0 ? `no code below ${project.root}` : `in ${counted(files, 'file')} of ${project.root}`
    const left = leftText(apart, leaving) + otherFilesText(others)
    terminal.write(`No settings found${files === 0 ? ': ' : ' '}${printable(where)}.${next}\n${left && `\n${left}`}`)
    return { exitCode: exitCodes.fine }
  }
  if (options.json) {
    terminal.write(jsonText(jsonReport({}, liftJson(candidates, staying, placed(sure).obligations, others))))
    return { exitCode: exitCodes.fine }
  }
  const describe = (candidate: Candidate) => candidateText(candidate, [], terminal)
  if (options.why !== undefined) {
    const asked = onlyOf(candidates, options.why, '--why')
    const reasons = new Map(staying.map(({ candidate, why }) => [candidate, why]))
    const told = asked.map((candidate) => {
      const why = reasons.get(candidate)
      return candidateText(candidate, why === undefined ? [] : [`Not moved: ${why}`], terminal)
    })
    terminal.write(`${told.join('\n\n')}\n`)
    return { exitCode: exitCodes.fine }
  }
  if (options.pick) {
    const { pick } = await import('./pick.js')
    const picked = await pick(movable, names, describe)
    const places = placed(picked)
    const { changes } = places
    if (changes.length === 0) return { exitCode: exitCodes.fine }
    terminal.write(`\n${diffText(changes, hiddenTexts(secrets, picked, changes), terminal)}\n`)
    const agreed = await confirmed(changes, 'mappa lift --pick', options)
    return agreed
      ? apply(project, { moved: picked, held: [], unsure: [], ...places, aside: '', sums }, target, options, check)
      : { exitCode: exitCodes.fine }
  }
  const places = placed(sure)
  const { changes } = places
  const left = leftText(apart, leaving)
  if (options.apply && changes.length > 0) {
    const unsure = movable.filter((candidate) => !sure.includes(candidate))
    const aside = unparsedText(unparsed) + left + otherFilesText(others)
    return apply(project, { moved: sure, held: staying, unsure, ...places, aside, sums }, target, options, check)
  }
  const unsure = movable.filter((candidate) => !sure.includes(candidate))
  const wrap = (text: string, indent: number) => paragraph(text, terminal.width - indent)
  const { paint, width } = terminal
  terminal.write(`${overviewText(sure, staying, unsure, { paint, width, wrap })}\n`)
  const asides = unparsedText(unparsed) + left + otherFilesText(others)
  if (asides) terminal.write(`${asides}\n`)
  if (options.apply) terminal.write('Nothing to move.\n')
  else if (changes.length > 0) {
    const only = `${options.compose ? ' --compose' : ''}${options.only === undefined ? '' : ` --only ${options.only}`}`
    // Lines round a change may hold secrets that are not to be moved now.
    const isShown = options.diff || options.only !== undefined
    if (isShown) {
      terminal.write(`${diffText(changes, hiddenTexts(secrets, sure, changes), terminal)}\n`)
      terminal.write(differencesText(sure, { wrap }))
      terminal.write(obligationsText(places.obligations, { wrap }))
    }
    const first = isShown ? '' : `  → Run: mappa lift --why ${sure[0]?.name}\n  → Run: mappa lift --diff\n`
    terminal.write(`Nothing was written.\n${first}  → Run: mappa lift${only} --apply\n`)
  }
  return { exitCode: exitCodes.fine }
}

/** The texts of a package that lift does not go through. */
function* othersOf(root: string, apart: readonly string[]): Generator<SourceFile> {
  for (const file of textFiles(root))
    if (!isTelling(file.path) && !isSample(file.path) && !apart.some((folder) => file.path.startsWith(folder)))
      yield file
}

/** Layer files and samples have commands of their own. */
function isSample(path: string): boolean {
  return /(?:^|\/)\.env[^/]*$/.test(path)
}

/** Stages that starts name and the legend lacks: code knew them, and a start with another one is refused. */
function stagesStarted(project: Project): readonly string[] {
  const known = new Set(stagesOf(project.definition))
  const named = startsOf(startFilesOf(project)).flatMap(
    ({ program }) => program.sets.get('MAPPA_STAGE') ?? program.sets.get('NODE_ENV') ?? [],
  )
  return [...new Set(named)].filter(
    (each) => !known.has(each) && isStageName(each) && !/^(?:local|example|sample)$/.test(each),
  )
}

/** The shared layers that git leaves out, and those that a container's image would not have. */
async function layersApart({ root, legendFile, definition }: Project): Promise<Pick<Target, 'ignored' | 'unsent'>> {
  const stages = stagesOf(definition as Legend | undefined).map((stage) => `.env.${stage}`)
  const layers = ['.env', ...stages]
  const ignored = ignoredFiles(root, legendFile ?? 'mappa.legend.js', layers)
  const { unsentPaths } = await import('../../delivery/packing.js')
  return { ignored, unsent: new Set(await unsentPaths(root, layers)) }
}

function targetOf({ root, legendFile, definition }: Project): Omit<Target, 'code'> {
  // Each file is read once: what is edited is what must still be there.
  const read = readOnce(root)
  const installed = (name: string) => installedIn(root, name, read)
  const sound = definition && contradictions(definition, legendFile).length === 0 ? definition : undefined
  return {
    read,
    installed,
    legendFile,
    definition: sound,
    isModule: /"type"\s*:\s*"module"/.test(read('package.json') ?? ''),
  }
}

/** Changes to write, with their candidates. */
interface Moves extends Placed {
  readonly moved: readonly Candidate[]
  readonly held: readonly Held[]
  readonly unsure: readonly Candidate[]
  /** Skipped files, each with its reason: lines. */
  readonly aside: string
  /** Digests of the files in which something was found, as they were then. */
  readonly sums: ReadonlyMap<string, string>
}

async function apply(
  project: Project,
  { moved, held, unsure, changes, obligations, aside, sums }: Moves,
  target: Target,
  options: LiftOptions,
  check: Check,
): Promise<Ended> {
  const { root } = project
  if (changes.length === 0) return { exitCode: exitCodes.fine }
  // A person's own changes must not be mixed with these in one file.
  const edited = changes.filter(({ before }) => before !== null).map(({ path }) => path)
  const uncommitted = uncommittedPaths(root, edited).filter((path) => !isByInstall(root, path, target))
  if (!options.uncommitted && uncommitted.length > 0) {
    const more = uncommitted.length > placesMax ? ', …' : ''
    const shown = uncommitted.slice(0, placesMax).map(printable).join(', ') + more
    say(`These files have uncommitted changes: ${shown}. Commit them first, or pass --uncommitted.`)
    return { exitCode: exitCodes.faults }
  }
  if (!options.uncommitted && !isVersioned(root)) {
    talk().write(
      'This folder is not in git, so only mappa undo can take the changes back, for a day. Commit it first, or pass --uncommitted.\n',
    )
    return { exitCode: exitCodes.faults }
  }
  const stale = changes.find(({ path, before }) => before !== null && isStale(path, before, sums))
  if (stale) {
    say(`${printable(stale.path)} was changed by another process. Nothing was written.`)
    return { exitCode: exitCodes.faults }
  }
  const broken = brokenChange(changes)
  if (broken) throw new Error(`${broken.path} does not parse after the change.`)
  try {
    await writeFiles(
      changes.map(({ path, before, after, secret }) => ({ path: join(root, path), text: after, before, secret })),
      root,
      { onRecovered: tellRecovered, onReadable: tellReadable },
    )
  } catch (error) {
    if (!(error instanceof WriteError)) throw error
    talk().write(`${error.message}\n`)
    return { exitCode: exitCodes.faults }
  }
  const terminal = output()
  const wrap = (text: string, indent: number) => paragraph(text, terminal.width - indent)
  terminal.write(summaryText(moved, held, unsure, changes, { wrap }))
  if (obligations.length > 0) terminal.write(`\n${obligationsText(obligations, { wrap })}`)
  if (aside) terminal.write(`\n${aside}`)
  const elsewhere = sameElsewhere(moved, root)
  const steps = [...(elsewhere === undefined ? [] : [elsewhere]), ...nextSteps(moved, changes, target)]
  if (steps.length > 0) terminal.write(`\n${steps.map((step) => `${wrap(step, 0)}\n`).join('')}\n`)
  const script = buildScript(target.read('package.json') ?? '')
  if (script !== undefined && !options.build) terminal.write(`Check that it still builds: npm run ${script}\n\n`)
  // Node keeps the legend that was loaded before the entries were added, so it is read anew.
  const checked = await check({ ...options, json: false, fresh: true })
  if (!options.build || script === undefined) return checked
  if (!isInstalled(root)) {
    terminal.write(`\nNot built: mappa is not installed here. Install it, then run: npm run ${script}\n`)
    return checked
  }
  terminal.write(`\nBuilding: npm run ${script} …\n`)
  const { runChild } = await import('../../run/child.js')
  const code = await runChild(['npm', '--prefix', root, 'run', '--silent', script], process.env)
  terminal.write(code === 0 ? 'It builds.\n' : `npm run ${script} exited with ${code}. The changes stay.\n`)
  return code === 0 ? checked : { exitCode: exitCodes.faults }
}

/** Tells whether a manifest differs from the committed one only by our packages, which have just been installed. */
function isByInstall(root: string, path: string, { read }: Target): boolean {
  if (path !== 'package.json') return false
  const committed = committedText(root, path)
  return committed !== undefined && differsByInstall(committed, read(path) ?? '')
}

/** Tells whether a file is another one by now than that in which something was found. */
function isStale(path: string, text: string, sums: ReadonlyMap<string, string>): boolean {
  const sum = sums.get(path)
  return sum !== undefined && sum !== sumOf(text)
}

/** Finds where a project has a package, in its own manifest, or in one above it up to the repository's top. */
function installedIn(root: string, name: string, read: Target['read']): Installed {
  const own = sectionWith(read('package.json') ?? '', name)
  if (own !== undefined) return own
  const top = repositoryTop(root) ?? root
  for (let at = root; at !== top && at !== dirname(at); ) {
    at = dirname(at)
    if (sectionWith(textAt(join(at, 'package.json')) ?? '', name) !== undefined) return 'above'
  }
  return isInstalled(root) ? 'undeclared' : 'missing'
}

function isInstalled(root: string): boolean {
  try {
    createRequire(join(root, 'package.json')).resolve('mappa/node')
    return true
  } catch {
    return false
  }
}

/** Finds where else in the package a secret still stands that has been moved: documents, notebooks, other languages. */
function sameElsewhere(moved: readonly Candidate[], root: string): string | undefined {
  const values = moved.flatMap(({ secret, value, stages }) =>
    secret ? [value, ...Object.values(stages)].filter((each) => each !== undefined && each.length >= searchedMin) : [],
  ) as string[]
  const places = values.length === 0 ? [] : holdersOf(values, textFiles(root))
  if (places.length === 0) return undefined
  const more = places.length > placesMax ? ` and ${counted(places.length - placesMax, 'more place')}` : ''
  return `The same secrets are also in: ${places.slice(0, placesMax).map(printable).join(', ')}${more}. Remove them there.`
}

/** Shorter texts stand everywhere by chance. Characters. */
const searchedMin = 8
const placesMax = 10

function onlyOf(candidates: readonly Candidate[], only: string | undefined, option = '--only'): readonly Candidate[] {
  if (only === undefined) return candidates
  const names = only.split(',').map((name) => name.trim())
  const unknown = names.find((name) => !candidates.some((candidate) => candidate.name === name))
  if (unknown !== undefined)
    throw new UsageError(`${option} names ${JSON.stringify(unknown)}, but that is not a candidate. Run: mappa lift`)
  return candidates.filter(({ name }) => names.includes(name))
}
