import { lstatSync, readFileSync, realpathSync } from 'node:fs'
import { dirname, join, sep } from 'node:path'
import spawn from 'cross-spawn'
import type { Legend } from 'mappa'
import { WriteError, writeFiles } from 'mappa/node'
import { diffText } from '../diff-text.js'
import type { Candidate } from '../lift/candidates.js'
import { type Change, changesFor, type Held, sorted, type Target } from '../lift/edit.js'
import { hiddenTexts } from '../lift/hidden.js'
import { findIn } from '../lift/lift.js'
import { parseFile, type Unparsed } from '../lift/parse.js'
import { contradictions, openProject, type Project, type ProjectOptions } from '../project.js'
import { projectFiles } from '../project-files.js'
import { counting, output, type Terminal, talk } from '../terminal.js'
import { exitCodes, UsageError } from '../usage.js'
import { counted } from '../wording.js'

/** Options of `mappa lift`. */
export interface LiftOptions extends ProjectOptions {
  readonly json?: boolean
  readonly apply?: boolean
  /** Names of candidates, divided by commas; all unless said. */
  readonly only?: string
  /** Whether to ask about each. */
  readonly pick?: boolean
  /** Whether to edit although there are uncommitted changes. */
  readonly uncommitted?: boolean
}

/** `mappa lift`: finds settings and keys in code, shows the moves, and with `--apply` makes them. */
export async function lift(options: LiftOptions): Promise<{ exitCode: number; cause?: unknown }> {
  if (options.pick && (options.json || !(process.stdin.isTTY && process.stdout.isTTY)))
    throw new UsageError('--pick asks about each candidate, and needs a terminal to do so. Use --only here.')
  const project = await openProject(options)
  const target = targetOf(project)
  const names = Object.keys((project.definition as Legend | undefined)?.entries ?? {})
  const looked = counting(projectFiles(project.root), (count) => `Looked through ${counted(count, 'file')} …`)
  const { candidates, secrets, unparsed, files } = findIn(looked, names)
  const { movable, held } = sorted(chosen(candidates, options.only), target)
  const terminal = output()
  if (options.json) {
    const shown = candidates.map((each) => shownJson(each, held))
    terminal.write(`${JSON.stringify({ version: 1, candidates: shown }, null, 2)}\n`)
    return { exitCode: exitCodes.fine }
  }
  const describe = (candidate: Candidate) => candidateText(candidate, [], terminal)
  if (options.pick) {
    const { pick, confirmWrite } = await import('../pick.js')
    const picked = await pick(movable, names, describe)
    const changes = changesFor(picked, target)
    if (changes.length === 0) return { exitCode: exitCodes.fine }
    terminal.write(`\n${diffText(changes, hiddenTexts(secrets, picked, changes), terminal)}\n`)
    const agreed = options.apply || (await confirmWrite(`${counted(changes.length, 'file')} would be written`))
    return agreed ? apply(project, changes, target, options) : { exitCode: exitCodes.fine }
  }
  // Low confidence alone moves nothing: such a candidate has to be named.
  const sure = options.only === undefined ? movable.filter(({ confidence }) => confidence !== 'low') : movable
  const changes = changesFor(sure, target)
  terminal.write(candidatesText(movable, held, unparsed, files, terminal))
  if (options.apply) return apply(project, changes, target, options)
  if (changes.length > 0) {
    const only = options.only === undefined ? '' : ` --only ${options.only}`
    // Lines round a change may hold secrets that are not to be moved now.
    const text = diffText(changes, hiddenTexts(secrets, sure, changes), terminal)
    terminal.write(`${text}
Nothing was written. To make these changes: mappa lift${only} --apply
`)
  }
  return { exitCode: exitCodes.fine }
}

function targetOf({ root, legendFile, definition }: Project): Target {
  const read = (path: string) => {
    try {
      return readFileSync(join(root, path), 'utf8')
    } catch {
      return undefined
    }
  }
  const sound = definition && contradictions(definition, legendFile).length === 0 ? definition : undefined
  return { read, legendFile, definition: sound, isModule: /"type"\s*:\s*"module"/.test(read('package.json') ?? '') }
}

function chosen(candidates: readonly Candidate[], only: string | undefined): readonly Candidate[] {
  if (only === undefined) return candidates
  const names = only.split(',').map((name) => name.trim())
  const unknown = names.find((name) => !candidates.some((candidate) => candidate.name === name))
  if (unknown !== undefined)
    throw new UsageError(
      `--only names ${JSON.stringify(unknown)}, and no candidate is called so. mappa lift lists them.`,
    )
  return candidates.filter(({ name }) => names.includes(name))
}

async function apply(
  project: Project,
  changes: readonly Change[],
  target: Target,
  options: LiftOptions,
): Promise<{ exitCode: number }> {
  const { root } = project
  if (changes.length === 0) return { exitCode: exitCodes.fine }
  const { status, stdout } = spawn.sync('git', ['status', '--porcelain'], { cwd: root, encoding: 'utf8' })
  if (!options.uncommitted && status === 0 && stdout.trim() !== '') {
    talk().write(
      'There are uncommitted changes, which could not be told from those of lift. Commit them first, or say --uncommitted.\n',
    )
    return { exitCode: exitCodes.faults }
  }
  const outside = changes.find(({ path }) => leadsOut(root, path))
  if (outside) {
    talk().write(`${outside.path} is a link that leads out of the project. Nothing was written.\n`)
    return { exitCode: exitCodes.faults }
  }
  const broken = changes.find(
    ({ path, after }) => /\.[cm]?[jt]sx?$/.test(path) && !('programs' in parseFile({ path, text: after })),
  )
  if (broken) throw new Error(`${broken.path} would not parse any more.`)
  try {
    writeFiles(
      changes.map(({ path, before, after, secret }) => ({ path: join(root, path), text: after, before, secret })),
    )
  } catch (error) {
    if (!(error instanceof WriteError)) throw error
    talk().write(`${error.message}\n`)
    return { exitCode: exitCodes.faults }
  }
  output().write(`${counted(changes.length, 'file')} written: ${changes.map(({ path }) => path).join(', ')}\n`)
  output().write(`${nextSteps(changes, target)}\n`)
  // Node keeps the legend that was loaded before the entries were added, so it is read anew.
  const { check } = await import('./check.js')
  return check({ ...options, json: false, fresh: true })
}

/** Whether a path from the root leads elsewhere by a link, its own or a folder's. */
function leadsOut(root: string, path: string): boolean {
  const top = realpathSync(root)
  for (let each = join(root, path); each !== root; each = dirname(each)) {
    if (!lstatSync(each, { throwIfNoEntry: false })) continue
    try {
      return !realpathSync(each).startsWith(top + sep)
    } catch {
      // A link that leads nowhere yet.
      return true
    }
  }
  return false
}

/** What a person has to do besides, since lift does not install anything. */
function nextSteps(changes: readonly Change[], { read }: Target): string {
  const manifest = read('package.json') ?? ''
  const lacks = (name: string) => !new RegExp(`"${name}"\\s*:`).test(manifest)
  const runs = changes.some(({ path }) => path === 'package.json')
  const typed = changes.some(
    ({ path, after }) => /\.(?:tsx?|vue|svelte)$/.test(path) && after.includes("'virtual:mappa/settings'"),
  )
  const lines = [
    ...(lacks('mappa') ? ['The code imports mappa: npm install mappa'] : []),
    ...(typed && read('mappa.types.d.ts') === undefined
      ? ['TypeScript has to know what pages import: mappa types']
      : []),
    ...(runs && lacks('@mappa/cli') ? ['The scripts run its command: npm install --save-dev @mappa/cli'] : []),
  ]
  return lines.map((line) => `${line}\n`).join('')
}

/** One candidate with its reason and its places; a secret is not shown. */
function candidateText(
  { name, kind, secret, confidence, value, stages, reason, sites, entry, builtOn, asks }: Candidate,
  more: readonly string[],
  { paint }: Terminal,
): string {
  const known = value ?? (entry.default === undefined ? undefined : String(entry.default))
  const shown = known === undefined ? '' : secret ? '(secret)' : (known.split('\n', 1)[0] as string)
  const type = kind === 'variable' ? `variable, ${entry.type}` : kind
  const what = `${secret ? 'secret, ' : ''}${type}, confidence ${confidence}`
  const staged = Object.entries(stages).map(([stage, own]) => `    In ${stage}: ${secret ? '(secret)' : own}`)
  const asked = asks.filter((each) => each !== 'NODE_ENV' && each !== 'MAPPA_STAGE')
  const lines = [
    ...(builtOn === undefined ? [] : [`Its port is ${builtOn}.`]),
    reason,
    ...(asked.length > 0 ? [`Code asks ${asked.join(', ')}: from then on, MAPPA_STAGE says the stage.`] : []),
    ...more,
  ]
  const places = sites.map(({ path, line, column }) => `    ${path}:${line}:${column}`)
  const head = `${paint.bold(name)} ${paint.dim(`(${what})`)} ${shown}`.trimEnd()
  return [head, ...staged, ...lines.map((line) => `    ${line}`), ...places].join('\n')
}

/** Every candidate, and what could not be read. */
function candidatesText(
  movable: readonly Candidate[],
  held: readonly Held[],
  unparsed: readonly Unparsed[],
  files: number,
  terminal: Terminal,
): string {
  const blocks = [
    ...movable.map((candidate) => candidateText(candidate, [], terminal)),
    ...held.map(({ candidate, why }) => candidateText(candidate, [`Not moved: ${why}`], terminal)),
    ...unparsed.map(({ file, line, column }) => `${file.path}:${line}:${column} cannot be parsed, and was left out.`),
  ]
  const tally = `${counted(movable.length + held.length, 'setting')} found in ${counted(files, 'file')}${held.length > 0 ? `, ${held.length} of them not to be moved as they are` : ''}.`
  return `${[...blocks, tally].join('\n\n')}\n\n`
}

/** A candidate as `--json` shows it; the value of a secret is null. */
function shownJson(
  { name, kind, entry, secret, reach, confidence, reason, value, stages, sites, builtOn }: Candidate,
  held: readonly Held[],
) {
  const why = held.find(({ candidate }) => candidate.name === name)?.why
  const { type, optional } = entry
  return {
    ...{ name, kind, type, secret, reach, optional, confidence, reason },
    value: secret ? null : (value ?? null),
    default: secret ? null : (entry.default ?? null),
    stages: secret ? Object.fromEntries(Object.keys(stages).map((stage) => [stage, null])) : stages,
    builtOn: builtOn ?? null,
    notMoved: why ?? null,
    sites: sites.map(({ path, line, column }) => ({ file: path, line, column })),
  }
}
