import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import spawn from 'cross-spawn'
import { createTwoFilesPatch } from 'diff'
import type { Legend } from 'mappa'
import { writeFiles } from 'mappa/node'
import type { Candidate } from '../lift/candidates.js'
import { type Change, changesFor, type Held, sorted, type Target } from '../lift/edit.js'
import type { Finding } from '../lift/find.js'
import { findIn } from '../lift/lift.js'
import { parseFile, type Unparsed } from '../lift/parse.js'
import { openProject, type Project, type ProjectOptions } from '../project.js'
import { projectFiles } from '../project-files.js'
import { output, type Terminal, talk } from '../terminal.js'
import { exitCodes, UsageError } from '../usage.js'
import { counted } from '../wording.js'

/** Options of `mappa lift`. */
export interface LiftOptions extends ProjectOptions {
  readonly json?: boolean
  readonly apply?: boolean
  /** Names of candidates, divided by commas; all unless said. */
  readonly only?: string
  /** Whether to edit although there are uncommitted changes. */
  readonly uncommitted?: boolean
}

/** `mappa lift`: finds settings and keys in code, shows the moves, and with `--apply` makes them. */
export async function lift(options: LiftOptions): Promise<{ exitCode: number; cause?: unknown }> {
  const project = await openProject(options)
  const target = targetOf(project)
  const names = Object.keys((project.definition as Legend | undefined)?.entries ?? {})
  const { candidates, secrets, unparsed, files } = findIn(projectFiles(project.root), names)
  const { movable, held } = sorted(chosen(candidates, options.only), target)
  // Low confidence alone moves nothing: such a candidate has to be named.
  const sure = options.only === undefined ? movable.filter(({ confidence }) => confidence !== 'low') : movable
  const changes = changesFor(sure, target)
  const terminal = output()
  if (options.json) {
    terminal.write(
      `${JSON.stringify({ version: 1, candidates: candidates.map((each) => shownJson(each, held)) }, null, 2)}\n`,
    )
    return { exitCode: exitCodes.fine }
  }
  terminal.write(candidatesText(movable, held, unparsed, files, terminal))
  if (!options.apply) {
    if (changes.length > 0) {
      const only = options.only === undefined ? '' : ` --only ${options.only}`
      // Lines round a change may hold secrets that are not to be moved now.
      const text = diffText(changes, secrets, terminal)
      terminal.write(`${text}
Nothing was written. To make these changes: mappa lift${only} --apply
`)
    }
    return { exitCode: exitCodes.fine }
  }
  return apply(project, changes, options)
}

function targetOf({ root, legendFile }: Project): Target {
  const read = (path: string) => {
    try {
      return readFileSync(join(root, path), 'utf8')
    } catch {
      return undefined
    }
  }
  return { read, legendFile, isModule: /"type"\s*:\s*"module"/.test(read('package.json') ?? '') }
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
  const broken = changes.find(
    ({ path, after }) => /\.[cm]?[jt]sx?$/.test(path) && !('programs' in parseFile({ path, text: after })),
  )
  if (broken) throw new Error(`${broken.path} would not parse any more.`)
  writeFiles(
    changes.map(({ path, before, after, secret }) => ({ path: join(root, path), text: after, before, secret })),
  )
  output().write(`${counted(changes.length, 'file')} written: ${changes.map(({ path }) => path).join(', ')}\n\n`)
  // Node keeps the legend that was loaded before the entries were added, so it is read anew.
  const { check } = await import('./check.js')
  return check({ ...options, json: false, fresh: true })
}

/** Every candidate with its reason and its places; secrets are not shown. */
function candidatesText(
  movable: readonly Candidate[],
  held: readonly Held[],
  unparsed: readonly Unparsed[],
  files: number,
  { paint }: Terminal,
): string {
  const describe = (
    { name, kind, secret, confidence, value, stages, reason, sites, type }: Candidate,
    more: string[],
  ) => {
    const shown = secret ? '(secret)' : value.split('\n', 1)[0]
    const what = `${secret ? 'secret, ' : ''}${type === 'port' ? 'port' : kind}, confidence ${confidence}`
    const places = sites.map(({ path, line, column }) => `    ${path}:${line}:${column}`)
    const staged = Object.entries(stages).map(([stage, own]) => `    In ${stage}: ${secret ? '(secret)' : own}`)
    const head = `${paint.bold(name)} ${paint.dim(`(${what})`)} ${shown}`
    return [head, ...staged, `    ${reason}`, ...more, ...places].join('\n')
  }
  const blocks = [
    ...movable.map((candidate) => describe(candidate, [])),
    ...held.map(({ candidate, why }) => describe(candidate, [`    Not moved: ${why}`])),
    ...unparsed.map(({ file, line, column }) => `${file.path}:${line}:${column} cannot be parsed, and was left out.`),
  ]
  const tally = `${counted(movable.length + held.length, 'setting')} found in ${counted(files, 'file')}${held.length > 0 ? `, ${held.length} of them not to be moved as they are` : ''}.`
  return `${[...blocks, tally].join('\n\n')}\n\n`
}

/** A candidate as `--json` shows it; the value of a secret is null. */
function shownJson(
  { name, kind, type, secret, reach, confidence, reason, value, stages, sites }: Candidate,
  held: readonly Held[],
) {
  const why = held.find(({ candidate }) => candidate.name === name)?.why
  return {
    ...{ name, kind, type, secret, reach, confidence, reason },
    value: secret ? null : value,
    stages: secret ? Object.fromEntries(Object.keys(stages).map((stage) => [stage, null])) : stages,
    notMoved: why ?? null,
    sites: sites.map(({ path, line, column }) => ({ file: path, line, column })),
  }
}

/** A unified diff, the secrets in it masked. */
function diffText(changes: readonly Change[], hidden: readonly Finding[], { paint }: Terminal): string {
  // As values, and as they are written in code.
  const written = hidden.flatMap(
    ({ path, start, end }) => changes.find((change) => change.path === path)?.before?.slice(start + 1, end - 1) ?? [],
  )
  const secrets = [...hidden.flatMap(({ value, stages = {} }) => [value, ...Object.values(stages)]), ...written]
    .flatMap((text) => text.split('\n'))
    .filter((line) => line.length > 3)
    .sort((a, b) => b.length - a.length)
  const masked = (text: string) => secrets.reduce((shown, secret) => shown.replaceAll(secret, '(secret)'), text)
  return changes
    .map(({ path, before, after }) =>
      createTwoFilesPatch(path, path, before ?? '', after, undefined, undefined, { context: 2 }),
    )
    .map((patch) => masked(patch.replace(/^Index: .*\n=+\n/, '')))
    .flatMap((patch) => patch.split('\n'))
    .map((line) => (/^\+(?!\+\+ )/.test(line) ? paint.bold(line) : /^-(?!-- )/.test(line) ? paint.red(line) : line))
    .join('\n')
}
