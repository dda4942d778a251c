import { statSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import {
  entriesOf,
  type Fault,
  type Layer,
  layerFromText,
  layerFromValues,
  type Notice,
  printable,
  reportSarif,
  reportText,
  stagesOf,
} from 'mappa'
import { isAccepted, namesIn, pathFrom, repositoryTop, textAt } from 'mappa/command'
import { counted } from '../../declared/counted.js'
import { builtPaths, publishedPaths } from '../../delivery/packing.js'
import { givenText } from '../../project/captured.js'
import { isVersioned, layerNamesIn } from '../../project/files.js'
import {
  hooksFolder,
  isLocalLayer,
  notIgnored,
  stagedPaths,
  trackedPaths,
  unguardedLayers,
} from '../../project/git/repository.js'
import { tellReadable, tellRecovered } from '../../project/made-file.js'
import { openProject, type Project, type ProjectOptions } from '../../project/project.js'
import { unseen } from '../../terminal/ask.js'
import { jsonReport } from '../../terminal/json-report.js'
import { paragraph } from '../../terminal/paragraph.js'
import { counting, isAsked, jsonText, output, progress, talk } from '../../terminal/terminal.js'
import { exitCodes, UsageError } from '../../terminal/usage-error.js'
import { WriteError, writeFiles } from '../../writing/write.js'
import { type AcceptedFinding, acceptedBy, acceptedFrom, acceptedPath } from './accepted.js'
import { type Content, contentsOf } from './contents.js'
import {
  inBundle,
  inHistory,
  inMessage,
  inPackage,
  inVersionControl,
  keyShaped,
  type Lifespan,
  notSearched,
  plainPassword,
  shared,
} from './findings.js'
import { historyScope, isRevision } from './history.js'
import { guardCalls, withGuard, withoutGuard } from './hook.js'
import { givenValues, type KnownSecrets, secretsInBytes, secretsOf } from './known-secrets.js'
import { heldInPacked, heldInStagedPacked, type PackedFindings } from './packed-files.js'
import {
  heldIn,
  heldInFile,
  heldInHistory,
  heldInStaged,
  type TextHeld,
  type TextKept,
  takenFiles,
} from './searched.js'

/** Options of `mappa guard`. */
export interface GuardOptions extends ProjectOptions {
  /** True if only what is staged is looked at. */
  readonly staged?: boolean
  /** A folder with what a build made, to be searched alone. */
  readonly bundle?: string
  /** Files, folders and archives that are to be passed on, to be searched alone. */
  readonly paths?: readonly string[]
  /** A revision: only what commits behind it have added is looked at. */
  readonly since?: string
  /** True if commits are looked at, too. */
  readonly history?: boolean
  /** `-`: values that no layer here has are typed unseen, or come on standard input. */
  readonly value?: string
  /** True to have `guard --staged` run before each commit. */
  readonly install?: boolean
  /** True to take that out again. */
  readonly uninstall?: boolean
  readonly json?: boolean
  readonly sarif?: boolean
}

/** The state of one run of guard. */
interface Guarded {
  readonly project: Project
  readonly secrets: KnownSecrets
  readonly options: GuardOptions
}

/** `mappa guard`: what secrets went, or would go, where they must not. */
export async function guard(options: GuardOptions): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openProject(options)
  const { root, definition } = project
  if (options.install || options.uninstall) return changeHook(root, options.install === true)
  const given = options.value === undefined ? [] : givenValues(await givenUnseen(options.value), definition)
  const guarded = { project, secrets: secretsOf(definition, layersOf(project), given), options }
  const found = await foundBy(guarded)
  const accepted = acceptedIn(root)
  const today = new Date().toISOString().slice(0, 10)
  const isOpen = ({ kind, name, place, layer }: Fault | Notice) => {
    const about = { kind, name, path: place?.file ?? layer }
    return !isAccepted(definition?.accepted, kind, [name]) && !acceptedBy(accepted, about, today)
  }
  const faults = found.faults.filter(isOpen)
  const notices = found.notices.filter(isOpen)
  const all = found.faults.length + found.notices.length
  report({ faults, notices }, all - faults.length - notices.length, guarded)
  return {
    exitCode: faults.length > 0 || project.faults.length > 0 ? exitCodes.faults : exitCodes.fine,
    cause: project.cause,
  }
}

/** What a search found; a notice is a file of the project that could not be looked into. */
interface GuardFindings {
  readonly faults: readonly Fault[]
  readonly notices: readonly Notice[]
}

async function foundBy(guarded: Guarded): Promise<GuardFindings> {
  const { project, secrets, options } = guarded
  const stopping = (faults: readonly Fault[]) => ({ faults, notices: [] })
  if (options.bundle !== undefined) return stopping(await inBuilt(options.bundle, project, secrets))
  if (options.paths !== undefined) return stopping(await inPaths(options.paths, secrets))
  if (options.staged) {
    if (!isVersioned(project.root)) throw new UsageError('This folder is not in git, so nothing is staged.')
    return inStaged(project.root, secrets)
  }
  if (options.since !== undefined) return stopping(await inCommits(guarded, options.since))
  return inRepository(guarded)
}

/** Values that are typed, one after another until an empty one, or come on standard input. */
async function givenUnseen(from: string): Promise<string> {
  if (from !== '-') throw new UsageError('--value takes -. Type the value unseen, or give it on standard input.')
  if (!isAsked()) return givenText('--value', '-')
  const typed: string[] = []
  for (;;) {
    const message = typed.length === 0 ? 'Value to search for' : 'Another value (Enter to stop)'
    const text = await unseen(message)
    if (text === '') return typed.join('\n')
    typed.push(text)
  }
}

function acceptedIn(root: string): readonly AcceptedFinding[] {
  const text = textAt(join(root, acceptedPath))
  if (text === undefined) return []
  try {
    return acceptedFrom(text)
  } catch (error) {
    throw new UsageError((error as Error).message)
  }
}

/** Findings in what the next commit would add. */
async function inStaged(root: string, secrets: KnownSecrets): Promise<GuardFindings> {
  const paths = stagedPaths(root)
  const packed = await heldInStagedPacked(root, paths, secrets)
  const held = onceEach([...(await heldInStaged(root, secrets)), ...packed.held])
  return {
    faults: [
      ...paths.filter(isLocalLayer).map((path) => notIgnored(path, true)),
      ...held
        .filter(isOpening)
        .map(({ path, name, what, line }) =>
          name === undefined
            ? keyShaped(path, line, what ?? '', undefined, true)
            : inVersionControl(path, { name, line }, 'staged'),
        ),
    ],
    notices: noticesOf(held, packed.unread),
  }
}

function isOpening({ isHarmless }: TextHeld): boolean {
  return isHarmless !== true
}

function noticesOf(held: readonly TextHeld[], unread: PackedFindings['unread']): Notice[] {
  return [
    ...held.filter((each) => !isOpening(each)).map(({ path, line, what = '' }) => plainPassword(path, line, what)),
    ...unread.map(({ path, why }) => notSearched(path, why)),
  ]
}

/** Each finding once, though a file is searched as it is and unpacked. */
function onceEach<Held extends TextHeld>(held: readonly Held[]): Held[] {
  const seen = new Map<string, Held>()
  for (const each of held) {
    const { path, name, what, line } = each
    const key = `${path}\n${name ?? `${line}\n${what}`}`
    if (!seen.has(key)) seen.set(key, each)
  }
  return [...seen.values()]
}

/** Everything that git has, would take, or passes on, as it is and as it was. */
async function inRepository(guarded: Guarded): Promise<GuardFindings> {
  const { project, secrets, options } = guarded
  const { root } = project
  const taken = takenFiles(root)
  if (taken === undefined) talk().write('This folder is not in git, so only packages were searched.\n')
  const tracked = trackedPaths(root) ?? []
  const known = new Set(tracked)
  const looked = counting(taken ?? [], (count) => `Searched ${counted(count, 'file')} …`)
  const plain = [...looked].flatMap((path) => (isLocalLayer(path) ? [] : heldInFile(root, path, secrets)))
  const inside = await heldInPacked(root, taken ?? [], secrets)
  const held = onceEach<TextHeld & { readonly file?: string }>([...plain, ...inside.held])
  const kept = options.history === false ? [] : await keptIn(guarded, undefined)
  const staged = taken === undefined ? [] : (await inStaged(root, secrets)).faults
  const faults = [
    ...ignoring(project, tracked),
    ...held.filter(isOpening).map((each) => {
      const life = kept.find((other) => isSame(each, other))?.life
      return treeFault(each, known.has(each.file ?? each.path) ? 'tracked' : 'taken', life, project)
    }),
    ...staged.filter(
      ({ kind, name, place }) =>
        kind !== 'not-ignored' && !held.some((each) => each.path === place?.file && each.name === name),
    ),
    ...kept.filter((each) => !held.some((other) => isSame(each, other))).map((each) => historyFault(each, project)),
    ...(await packed(root, secrets)),
  ]
  return { faults, notices: noticesOf(held, inside.unread) }
}

/** Findings in commits after a revision, which a push would send. */
async function inCommits(guarded: Guarded, since: string): Promise<Fault[]> {
  const { root } = guarded.project
  if (!isRevision(root, since))
    throw new UsageError(
      `No commit ${printable(since)}. Name a commit or branch, for example: mappa guard --since origin/main`,
    )
  return (await keptIn(guarded, since)).map((each) => historyFault(each, guarded.project))
}

async function keptIn({ project, secrets }: Guarded, since: string | undefined): Promise<readonly TextKept[]> {
  const scope = historyScope(project.root)
  if (!scope) return []
  const searched = progress((count) => `Searched ${counted(count, 'commit')} …`)
  const kept = await heldInHistory(project.root, secrets, since, searched)
  searched.end()
  const note = (text: string) => talk().write(`${paragraph(text, talk().width)}\n`)
  if (scope.isShallow && since === undefined)
    note('Notice: This is a shallow clone, so older commits were not searched.\n  → Run: git fetch --unshallow')
  for (const path of scope.submodules)
    note(`Notice: ${printable(path)} has its own git history.\n  → Run: mappa guard --root ${printable(path)}`)
  return kept
}

function isSame(one: TextHeld, other: TextHeld): boolean {
  return one.path === other.path && one.name === other.name && one.what === other.what
}

function obtainOf(name: string, { definition }: Project): string | undefined {
  const entries = entriesOf(definition)
  return Object.hasOwn(entries, name) ? entries[name]?.obtain : undefined
}

function treeFault(
  { path, name, what, line }: TextHeld,
  state: 'tracked' | 'taken',
  life: Lifespan | undefined,
  project: Project,
): Fault {
  return name === undefined
    ? keyShaped(path, line, what ?? '', life, true)
    : inVersionControl(path, { name, line }, state, life, obtainOf(name, project))
}

function historyFault({ path, name, what, line, life, isMessage }: TextKept, project: Project): Fault {
  if (isMessage) return inMessage(path, name, what ?? '', life)
  return name === undefined
    ? keyShaped(path, line, what ?? '', life, false)
    : inHistory(path, name, life, obtainOf(name, project))
}

/** Findings in named files and folders, and in archives among them. */
function inPaths(paths: readonly string[], secrets: KnownSecrets): Promise<Fault[]> {
  const missing = paths.find((path) => !statSync(path, { throwIfNoEntry: false }))
  if (missing !== undefined) throw new UsageError(`No file or folder ${printable(missing)}.`)
  return searched(paths, ({ path, bytes, linesBefore }) =>
    heldIn(path, bytes, secrets)
      .filter(isOpening)
      .map(({ name, what, line }) =>
        name === undefined
          ? keyShaped(path, linesBefore + line, what ?? '', undefined, true)
          : shared(path, linesBefore + line, name),
      ),
  )
}

/** Findings in every file of a build output, named from the working directory or the root. */
function inBuilt(folder: string, project: Project, secrets: KnownSecrets): Promise<Fault[]> {
  const path = [resolve(folder), join(project.root, folder)].find((each) => statSync(each, { throwIfNoEntry: false }))
  if (path === undefined) throw new UsageError(`No file or folder ${printable(folder)}. Name a build output.`)
  const shown = (inner: string) => join(folder, inner.slice(path.length))
  const find = ({ path: inner, bytes, bytesBefore }: Content) =>
    secretsInBytes(bytes, secrets).map(({ name, offset }) =>
      inBundle(shown(inner), { name, offset: bytesBefore + offset }),
    )
  return searched([path], find, shown)
}

/** Searches files and what is packed in them. What could not be looked into is a fault: silence would be taken for safety. */
async function searched(
  paths: readonly string[],
  find: (content: Content) => readonly Fault[],
  shown = (path: string) => path,
): Promise<Fault[]> {
  const found = new Map<string, Fault>()
  const tell = progress((count) => `Searched ${counted(count, 'file')} …`)
  let count = 0
  for (const path of paths)
    for await (const content of contentsOf(path)) {
      tell(++count)
      const faults =
        content.unread === undefined ? find(content) : [notSearched(shown(content.path), content.unread) as Fault]
      // Pieces of a file overlap, and a text may be there in two encodings.
      for (const fault of faults) {
        const { kind, name, place, layer, message } = fault
        const key = [kind, name, layer, place?.file, name === undefined ? `${place?.line} ${message}` : ''].join('\n')
        if (!found.has(key)) found.set(key, fault)
      }
    }
  tell.end()
  return [...found.values()]
}

/** The layer files of all stages, as they are. */
function layersOf({ root, definition }: Project): readonly Layer[] {
  const stages = stagesOf(definition)
  const files = layerNamesIn(root).flatMap((name) => {
    const text = textAt(join(root, name))
    const known = name === '.env' || name === '.env.local' || stages.some((stage) => name.startsWith(`.env.${stage}`))
    return text === undefined || !known ? [] : [layerFromText(name, text, { local: name.endsWith('.local') })]
  })
  // Without a legend everything of it would be searched for.
  return definition ? [...files, layerFromValues('the process environment', process.env)] : files
}

/** Layers of this machine that git has or would take; where none is there yet, the usual ones that may come. */
function ignoring({ root, definition }: Project, tracked: readonly string[]): Fault[] {
  const own = namesIn(root).filter(isLocalLayer)
  const usual = ['.env.local', ...stagesOf(definition).map((stage) => `.env.${stage}.local`)]
  const found = unguardedLayers(root, own.length > 0 ? own : usual, tracked)
  // Of those that may come, one says enough.
  const reported =
    own.length > 0
      ? found
      : [...found.filter((each) => each.tracked), ...found.filter((each) => !each.tracked).slice(0, 1)]
  return reported.map((each) => notIgnored(each.path, each.tracked))
}

/** Findings in the published package and in a container's build context. */
async function packed(root: string, secrets: KnownSecrets): Promise<Fault[]> {
  const published = await publishedPaths(root)
  const local = namesIn(root).filter(isLocalLayer)
  const built = await builtPaths(root, local)
  return [
    ...published.filter(isLocalLayer).map((path) => inPackage(path, 'package', undefined)),
    ...published.flatMap((path) => {
      if (isLocalLayer(path)) return []
      const found = heldInFile(root, path, secrets).find(({ name }) => name !== undefined)
      return found ? [inPackage(path, 'package', found.name)] : []
    }),
    ...built.map((path) => inPackage(path, 'image', undefined)),
  ]
}

function report({ faults, notices }: GuardFindings, accepted: number, { project, secrets, options }: Guarded): void {
  const terminal = output()
  const { root } = project
  const reported = {
    stage: { name: 'all stages', from: undefined },
    faults: [...project.faults, ...faults],
    notices,
  }
  const known = knownText(project, secrets, options)
  if (options.json) terminal.write(jsonText(jsonReport({ faults: reported.faults, notices })))
  else if (options.sarif) terminal.write(jsonText(reportSarif(reported, { root: pathToFileURL(`${root}/`).href })))
  else if (reported.faults.length + notices.length > 0) {
    const named = new Set(faults.flatMap(({ name }) => name ?? []))
    const keys = faults.filter(({ kind }) => kind === 'key-shaped').length
    const values = named.size + keys
    const consequence =
      values === 0 ? '' : `${counted(values, 'secret')} found where ${values === 1 ? 'it' : 'they'} must not be.`
    const text = reportText(reported, { ...terminal, ...(consequence !== '' && { consequence }) })
    terminal.write(text.slice(text.indexOf('\n\n') + 2))
    const clear = reported.faults.length === 0 ? 'No secrets found where Mappa could look. ' : ''
    if (clear + known !== '') terminal.write(`${paragraph(clear + known, terminal.width)}\n`)
  } else terminal.write(`${paragraph(`No secrets found ${whereText(options)}. ${known}`.trim(), terminal.width)}\n`)
  if (accepted > 0 && !options.json && !options.sarif)
    terminal.write(`${counted(accepted, 'finding')} accepted in ${acceptedPath} or the legend.\n`)
}

function whereText({ bundle, paths, since, staged, history }: GuardOptions): string {
  if (bundle !== undefined) return `in ${bundle}`
  if (paths !== undefined) return `in ${paths.map(printable).join(', ')}`
  if (since !== undefined) return `in commits since ${printable(since)}`
  if (staged) return 'in staged changes'
  return `in tracked files${history === false ? '' : ', git history'} and packages`
}

/** Of which secrets a value was searched for, so that silence is not taken for safety. */
function knownText(
  { definition }: Project,
  { names, known, unknown, short }: KnownSecrets,
  { bundle }: GuardOptions,
): string {
  const current = Object.values(entriesOf(definition)).filter(({ secret }) => secret).length
  // Without a legend everything that only this machine has is secret.
  const local = definition === undefined && known.size > 0 ? `the values of ${counted(known.size, 'variable')}` : ''
  const own = current > 0 ? `${current - unknown.length} of ${counted(current, 'secret')}` : local
  // A build has so many digests and ids that only known values count.
  const shapes = bundle === undefined ? 'text that looks like a key' : ''
  const sought = [own, shapes].filter((each) => each !== '').join(' and for ')
  const looked = sought === '' ? 'No secret was known to search for.' : `Searched for ${sought}.`
  const few = unknown.length > 5 ? [...unknown.slice(0, 5), '…'] : unknown
  const lacks =
    names.size > 0 && unknown.length > 0 ? `No value here for ${few.join(', ')}. Run: mappa guard --value -` : ''
  const unsought = short.size === 0 ? '' : `Too short to search for: ${[...short].join(', ')}.`
  return [looked, lacks, unsought].filter((each) => each !== '').join(' ')
}

/** Programs that keep hooks of their own, by a file of theirs: what they do not know of they may overwrite. */
const managers: readonly (readonly [file: string, how: string])[] = [
  ['lefthook.yml', 'under pre-commit, commands'],
  ['lefthook.yaml', 'under pre-commit, commands'],
  ['.pre-commit-config.yaml', 'as a local hook'],
  ['.simple-git-hooks.json', 'under pre-commit'],
]

/** Adds the call to the repository's pre-commit hook, or takes it out; everything else there stays. */
async function changeHook(root: string, isWanted: boolean): Promise<{ exitCode: number }> {
  const line = 'mappa guard --staged'
  const folder = hooksFolder(root)
  const tell = (text: string) => {
    talk().write(`${text}\n`)
    return { exitCode: exitCodes.faults }
  }
  const done = (text: string) => {
    output().write(`${text}\n`)
    return { exitCode: exitCodes.fine }
  }
  if (folder === undefined) return tell('This folder is not in git, so it has no hooks.')
  const manager = managers.find(([file]) => textAt(join(root, file)) !== undefined)
  if (manager && isWanted) return tell(`${manager[0]} manages the hooks. Add there, ${manager[1]}: ${line}`)
  // A program that makes hooks keeps the person's own beside its folder.
  const path = join(folder.replace(/[\\/]_$/, ''), 'pre-commit')
  const shown = printable(pathFrom(root, path) || path)
  const before = textAt(path)
  const inside = pathFrom(repositoryTop(root) ?? root, root)
  const after = isWanted ? withGuard(before, inside) : withoutGuard(before ?? '', inside)
  if (after === undefined) return tell(`${shown} is not a shell script, so it was not changed. Add to it: ${line}`)
  if (after === (before ?? '')) {
    if (isWanted) return done(`${shown} already runs mappa guard.`)
    const [own] = guardCalls(before ?? '', inside)
    return own === undefined
      ? done(`${shown} does not run mappa guard.`)
      : tell(`mappa guard --install did not write line ${own} of ${shown}. Remove it yourself.`)
  }
  try {
    await writeFiles([{ path, text: after, before: before ?? null, executable: true }], root, {
      onRecovered: tellRecovered,
      onReadable: tellReadable,
    })
  } catch (error) {
    if (!(error instanceof WriteError)) throw error
    return tell(error.message)
  }
  return done(
    isWanted
      ? `${shown} now runs mappa guard --staged before each commit.`
      : `${shown} no longer runs mappa guard.${after === null ? ' It was removed: nothing else was in it.' : ''}`,
  )
}
