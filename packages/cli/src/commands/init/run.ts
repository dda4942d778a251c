import { existsSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { entriesOf, isStageName, type Legend, printable, readLayer, stagesOf } from 'mappa'
import { namesIn, rightName, textAt } from 'mappa/command'
import { holdsCode } from '../../code/parse.js'
import { capitalized, counted } from '../../declared/counted.js'
import type { LegendForm } from '../../declared/legend-form.js'
import { namesWithFiles } from '../../declared/names-with-files.js'
import { isTelling } from '../../lift/facts.js'
import { gathered } from '../../lift/lift.js'
import { confirmed } from '../../project/carry-out.js'
import { foldersApart, ignoredFiles, isVersioned, layerNamesIn, projectPaths } from '../../project/files.js'
import { tellReadable, tellRecovered } from '../../project/made-file.js'
import { contradictions, openProject, openSound, type Project, type ProjectOptions } from '../../project/project.js'
import { startFiles } from '../../project/start-files.js'
import { factsAcross } from '../../run/threads.js'
import type { StartFiles } from '../../starts/start.js'
import { diffText, type FileChange } from '../../terminal/diff.js'
import { jsonReport } from '../../terminal/json-report.js'
import { paragraph } from '../../terminal/paragraph.js'
import { counting, isAsked, jsonText, output, talk } from '../../terminal/terminal.js'
import { exitCodes, UsageError } from '../../terminal/usage-error.js'
import { WriteError, writeFiles } from '../../writing/write.js'
import { type Before, type Setup, setupOf, type Wishes } from './setup.js'

/** Options of `mappa init`. */
export interface InitOptions extends ProjectOptions {
  /** The language of the legend. */
  readonly legend?: LegendForm
  /** Stages that get a layer file, separated by commas. */
  readonly stages?: string
  /** The stage that the new one is like. */
  readonly like?: string
  /** True to share what is not secret of a layer file that git ignores. */
  readonly split?: boolean
  readonly apply?: boolean
  readonly json?: boolean
}

/** A layer file under a name that is not read, and the name that it gets. */
interface Misnamed {
  readonly from: string
  readonly to: string
  readonly text: string
}

/** `mappa init`: sets a project up, from its present files. */
export async function init(options: InitOptions): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openProject(options)
  if (project.legendFile !== undefined && (!project.definition || contradictions(project.definition).length > 0)) {
    const sound = await openSound(options, 'Nothing was written.')
    return { exitCode: exitCodes.faults, ...('refused' in sound && { cause: sound.cause }) }
  }
  const { root } = project
  const files = startFiles(root)
  const misnamed = misnamedIn(root, project.definition, files)
  const { before, hidden } = await beforeOf(project, misnamed, files)
  const wishes = await wishesOf(options, before)
  const setup = setupOf(before, wishes)
  const below = wouldBeEmpty(setup, project) && foldersApart(root).filter((each) => isPackageFolder(root, each))
  if (below && below.length > 0 && !options.json) {
    const [first = ''] = below
    talk().write(
      `${root} is the top of several packages, and has no variable of its own. Nothing was written.\n  → Run: mappa init --root ${first.replace(/\/$/, '')}\n`,
    )
    return { exitCode: exitCodes.faults }
  }
  const changes = withRenames(setup, misnamed, root)
  const terminal = output()
  if (options.json) {
    const why = options.apply ? await writeFailure(changes, root) : undefined
    if (why !== undefined) return refused(why)
    terminal.write(jsonText(jsonReport({}, setupJson(setup, changes, misnamed, options.apply === true))))
    return { exitCode: exitCodes.fine }
  }
  if (changes.length === 0) {
    terminal.write(
      `${root} is already set up: ${setup.legendFile} declares ${counted(Object.keys(entriesOf(project.definition)).length, 'variable')}.\n  → Run: mappa check\n`,
    )
    return { exitCode: exitCodes.fine }
  }
  const secrets = [...hidden, ...secretTexts(setup, before)]
  terminal.write(`${shownText(setup, changes, misnamed, before, secrets)}\n`)
  return writtenIfWanted(options, changes, before, setup, root)
}

async function writtenIfWanted(
  options: InitOptions,
  changes: readonly Change[],
  before: Before,
  setup: Setup,
  root: string,
): Promise<{ exitCode: number }> {
  const terminal = output()
  if (!(await confirmed(changes, 'mappa init', options))) return { exitCode: exitCodes.fine }
  const why = await writeFailure(changes, root)
  if (why !== undefined) return refused(why)
  const made = changes.filter(({ after }) => after !== null).map(({ path }) => path)
  const gone = changes.filter(({ after }) => after === null).map(({ path }) => path)
  const summary = `Wrote ${counted(made.length, 'file')}: ${made.join(', ')}.${gone.length > 0 ? ` Removed: ${gone.join(', ')}.` : ''}`
  terminal.write(`${paragraph(summary, terminal.width)}\n`)
  terminal.write(`${nextLines(before, setup, root).join('\n')}\n`)
  return { exitCode: exitCodes.fine }
}

/** Tells whether a legend would be new, and without a variable. */
function wouldBeEmpty({ entries }: Setup, { legendFile }: Project): boolean {
  return legendFile === undefined && entries.length === 0
}

function isPackageFolder(root: string, folder: string): boolean {
  return existsSync(join(root, folder, 'package.json'))
}

/** A file to be written, or with null to be removed. */
interface Change {
  readonly path: string
  readonly before: string | null
  readonly after: string | null
  readonly secret: boolean
}

/** Writes all files or none: undefined, or why it could not. */
async function writeFailure(changes: readonly Change[], root: string): Promise<string | undefined> {
  try {
    await writeFiles(
      changes.map(({ path, before, after, secret }) => ({ path: join(root, path), text: after, before, secret })),
      root,
      { onRecovered: tellRecovered, onReadable: tellReadable },
    )
    return undefined
  } catch (error) {
    if (!(error instanceof WriteError)) throw error
    return error.message
  }
}

function refused(why: string): { exitCode: number } {
  talk().write(`${why}\n`)
  return { exitCode: exitCodes.faults }
}

/** Layer files with names that Mappa does not read, whose right name is free. */
function misnamedIn(root: string, definition: Legend | undefined, files: StartFiles): readonly Misnamed[] {
  const stages = stagesOf(definition)
  const taken = new Set<string>()
  return namesIn(root).flatMap((from) => {
    const to = rightName(from, stages)
    if (to === undefined || existsSync(join(root, to)) || taken.has(to) || !isFile(join(root, from))) return []
    const text = textAt(join(root, from))
    // A file with such a name but other content is not a layer file.
    if (text === undefined || readLayer(text).names().length === 0 || readLayer(text).faults.length > 0) return []
    if (isNamedIn(files, from)) return []
    taken.add(to)
    return [{ from, to, text }]
  })
}

/** Tells whether code or a start names a file, and so would lose it under another name. */
function isNamedIn({ paths, read }: StartFiles, name: string): boolean {
  const named = new RegExp(`(?:^|[^\\w.-])${name.replace(/[^\w]/g, '\\$&')}(?![\\w.-])`, 'm')
  const isStart = /(?:^|\/)(?:package\.json|Procfile|(?:Docker|Container)file[^/]*|[^/]+\.(?:ya?ml|service|sh))$/
  return paths.some((path) => (holdsCode(path) || isStart.test(path)) && named.test(read(path) ?? ''))
}

function isFile(path: string): boolean {
  return statSync(path, { throwIfNoEntry: false })?.isFile() === true
}

/** The project's present state, and the texts of secrets in code. */
async function beforeOf(
  { root, legendFile, definition }: Project,
  misnamed: readonly Misnamed[],
  files: StartFiles,
): Promise<{ before: Before; hidden: readonly string[] }> {
  const renamed = new Map(misnamed.map(({ to, text }) => [to, text]))
  const read = (path: string) => renamed.get(path) ?? textAt(join(root, path))
  const wrong = new Set(misnamed.map(({ from }) => from))
  const names = [...layerNamesIn(root).filter((name) => !wrong.has(name)), ...renamed.keys()].sort()
  const layers = names.flatMap((path) => {
    const text = read(path)
    return text === undefined ? [] : [{ path, text }]
  })
  const paths = [...projectPaths(root, foldersApart(root))].filter(isTelling)
  const code = paths.filter(holdsCode)
  const looked = counting(paths, (count) => `Looked through ${counted(count, 'file')} …`)
  const { candidates, secrets } = gathered(await factsAcross(root, looked), namesWithFiles(definition))
  return {
    before: {
      read,
      layers,
      code,
      legendFile,
      definition,
      reads: candidates.filter(({ kind }) => kind === 'variable'),
      versioned: isVersioned(root),
      ignored: ignoredFiles(root, legendFile ?? 'mappa.legend.ts', [
        ...new Set(['.env', '.env.development', ...names.filter((name) => !name.endsWith('.local'))]),
      ]),
      files,
      hasWorkflows: existsSync(join(root, '.github/workflows')),
    },
    hidden: secrets.flatMap(({ value }) => value ?? []),
  }
}

/** Answers from flags. The others are asked for at a terminal, and guessed elsewhere. */
async function wishesOf(options: InitOptions, before: Before): Promise<Wishes> {
  const { stage, like, split = false } = options
  const named = options.stages?.split(',').map((each) => each.trim())
  for (const each of [...(named ?? []), ...[stage, like].filter((each) => each !== undefined)])
    if (!isStageName(each))
      throw new UsageError('A stage name has only lower-case letters, digits and hyphens, for example: --stage preview')
  if (like !== undefined && stage === undefined)
    throw new UsageError('--like needs --stage, for example: mappa init --stage preview --like staging')
  if (like !== undefined && !stagesOf(before.definition).includes(like))
    throw new UsageError(`--like must name one of ${stagesOf(before.definition).join(', ')}.`)
  const stages = named ?? (before.legendFile === undefined ? ['development', 'production'] : [])
  if (before.legendFile !== undefined || options.apply || options.json || !isAsked())
    return { form: options.legend, stages, stage, like, split }
  const { askSetup } = await import('./questions.js')
  const isOpen =
    options.split === undefined && before.ignored.has('.env') && before.layers.some(({ path }) => path === '.env')
  const asked = await askSetup(options.legend, named, stages, isOpen)
  return { ...asked, stage, like, split: split || asked.split }
}

/** Files are renamed by being written under the new name and removed under the old one. */
function withRenames(setup: Setup, misnamed: readonly Misnamed[], root: string): readonly Change[] {
  const renamed = new Map(misnamed.map((each) => [each.to, each]))
  const moved = setup.changes.map((change): Change => (renamed.has(change.path) ? { ...change, before: null } : change))
  const rest = misnamed.filter(({ to }) => !moved.some(({ path }) => path === to))
  return [
    ...moved,
    ...rest.map(({ to, text }) => ({ path: to, before: null, after: text, secret: to.endsWith('.local') })),
    ...misnamed.map(({ from }) => ({ path: from, before: textAt(join(root, from)) ?? '', after: null, secret: false })),
  ]
}

/** The texts of what the legend will call secret. */
function secretTexts({ entries }: Setup, { layers, definition }: Before): readonly string[] {
  const names = new Set([
    ...entries.flatMap(({ name, words }) => (words.secret ? [name] : [])),
    ...Object.entries(entriesOf(definition)).flatMap(([name, { secret }]) => (secret ? [name] : [])),
  ])
  return layers.flatMap(({ text }) => {
    const layer = readLayer(text)
    return layer.names().flatMap((name) => (names.has(name) ? (layer.get(name) ?? []) : []))
  })
}

/** The planned changes: existing files as a diff, new files by name. */
function shownText(
  setup: Setup,
  changes: readonly Change[],
  misnamed: readonly Misnamed[],
  before: Before,
  hidden: readonly string[],
): string {
  const terminal = output()
  const { legendFile, entries, kept, read, starts } = setup
  const isShown = ({ path, before: text, after }: Change) =>
    after !== null && (path === legendFile || (text !== null && !path.startsWith('mappa.types.d.ts')))
  const shown = changes
    .filter(isShown)
    .map(({ path, before: text, after }): FileChange => ({ path, before: text, after: after ?? '' }))
  const others = changes
    .filter((change) => change.after !== null && !isShown(change))
    .map(({ path, before: text }) => `${path}${text === null ? ' (new)' : ''}`)
  const moved = changes
    .filter(({ path, secret, after }) => secret && after !== null && path.endsWith('.local'))
    .map(({ path }) => path)
  const secretNames = entries.flatMap(({ name, words }) => (words.secret ? [name] : []))
  const lines = [
    ...(entries.length > 0
      ? [
          `Found ${counted(entries.length, 'variable')} in ${sourcesOf(before)}. Types and secrets are guesses: review them.`,
        ]
      : []),
    ...(secretNames.length > 0 ? [`Secrets: ${secretNames.join(', ')}.`] : []),
    ...(moved.length > 0 ? [`Secrets go from shared files to ${moved.join(', ')}.`] : []),
    ...(kept.length > 0
      ? [`These secrets stay, because this machine has another value or they use other variables: ${kept.join(', ')}.`]
      : []),
    ...(read.length > 0
      ? [
          `These secrets stay, because a start reads them there: ${read.map((each) => `${each.name} in ${each.file} (${each.start})`).join(', ')}.`,
        ]
      : []),
    ...(starts.length > 0 ? [`Changed, so that it still gets its secrets: ${starts.join(', ')}.`] : []),
    ...misnamed.map(({ from, to }) => `${printable(from)} becomes ${to}: nothing reads it under the old name.`),
    ...(others.length > 0 ? [`Also: ${others.join(', ')}.`] : []),
  ]
  const diff = shown.length > 0 ? `${diffText(shown, hidden, terminal).trimEnd()}\n` : ''
  return [diff, ...lines.map((line) => paragraph(line, terminal.width))].filter((line) => line !== '').join('\n')
}

/** Finds where the variables were found. */
function sourcesOf({ layers, reads }: Before): string {
  const names = layers.length > 3 ? counted(layers.length, 'layer file') : layers.map(({ path }) => path).join(', ')
  return [names, reads.length > 0 ? 'code' : ''].filter((each) => each !== '').join(' and ') || 'the sample'
}

/** Steps that remain for the person, and the next command. */
function nextLines(before: Before, { entries, legendFile }: Setup, root: string): readonly string[] {
  const manifest = before.read('package.json')
  const lacks = (name: string) => manifest !== undefined && !new RegExp(`"${name}"\\s*:`).test(manifest)
  const ignored = ignoredFiles(root, legendFile, ['.env', '.env.production'])
  const needed = entries.filter(
    ({ name, words }) =>
      words.optional !== true &&
      words.default === undefined &&
      !before.layers.some(({ text }) => readLayer(text).get(name)),
  )
  return [
    ...(lacks('mappa') ? ['The legend imports mappa. Run: npm install mappa'] : []),
    ...(lacks('@mappa/cli') ? ['The script needs the command. Run: npm install --save-dev @mappa/cli'] : []),
    ...(ignored.size > 0
      ? [
          `Git ignores ${[...ignored].join(' and ')}, so clones lack ${ignored.size === 1 ? 'it' : 'them'}. To share all but the secrets, run: mappa init --split`,
        ]
      : []),
    needed.length > 0 ? `${capitalized(counted(needed.length, 'value'))} missing. Run: mappa fill` : 'Run: mappa check',
  ]
}

/** The shape of `init --json`: docs/json/init.schema.json. No value of a layer is in it. */
function setupJson(
  { legendFile, entries, kept, read, starts }: Setup,
  changes: readonly Change[],
  misnamed: readonly Misnamed[],
  applied: boolean,
) {
  return {
    legend: legendFile,
    variables: entries.map(({ name, words }) => ({
      name,
      type: words.type,
      secret: words.secret === true,
      optional: words.optional === true,
      reach: words.reach ?? 'server',
    })),
    files: changes.map(({ path, before, after }) => ({
      path,
      change: after === null ? 'removed' : before === null ? 'new' : 'edited',
    })),
    renamed: misnamed.map(({ from, to }) => ({ from, to })),
    secretsKept: [...kept, ...read.map(({ name, file }) => `${name} in ${file}`)],
    startsChanged: starts,
    written: applied,
  }
}
