import { readdirSync, statSync } from 'node:fs'
import { join, relative, resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import { type Fault, type Layer, layerFromText, reportJson, reportSarif, reportText } from 'mappa'
import {
  bytesAt,
  counted,
  isAccepted,
  namesIn,
  repositoryTop,
  stagesOf,
  textAt,
  WriteError,
  writeFiles,
} from 'mappa/command'
import { foundInFiles, handedOn, inBundle, inVersionControl, notIgnored } from '../guard/findings.js'
import { withGuard } from '../guard/hook.js'
import { type KnownSecrets, secretsIn, secretsInBytes, secretsOf } from '../guard/known-secrets.js'
import { layerNamesIn } from '../project/files.js'
import { builtPaths, publishedPaths } from '../project/packing.js'
import { openProject, type Project, type ProjectOptions } from '../project/project.js'
import { hooksFolder, isLocalLayer, stagedLines, trackedPaths, unguardedLayers } from '../project/repository.js'
import { paragraph } from '../terminal/paragraph.js'
import { counting, jsonText, output, talk } from '../terminal/terminal.js'
import { exitCodes, UsageError } from '../terminal/usage-error.js'

/** Options of `mappa guard`. */
export interface GuardOptions extends ProjectOptions {
  /** Whether only what is staged is looked at. */
  readonly staged?: boolean
  /** A folder with what a build made, to be searched alone. */
  readonly bundle?: string
  /** Whether to have `guard --staged` run before each commit. */
  readonly install?: boolean
  readonly json?: boolean
  readonly sarif?: boolean
}

/** `mappa guard`: what secrets went, or would go, where they must not. */
export async function guard(options: GuardOptions): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openProject(options)
  if (options.install) return install(project.root)
  const { root, definition } = project
  const layers = layersOf(project)
  if (options.bundle !== undefined) return inBuilt(options.bundle, project, layers, options)
  const secrets = secretsOf(definition, layers)
  const tracked = trackedPaths(root)
  const staged = options.staged ? stagedLines(root) : undefined
  if (tracked === undefined) talk().write('There is no version control here, so only what is packed was looked at.\n')
  const found =
    staged === undefined
      ? [
          ...ignoring(project, tracked ?? []),
          ...inTracked(root, tracked ?? [], secrets),
          ...(await packed(root, secrets)),
        ]
      : staged.flatMap(({ path, lines }) => [
          ...(isLocalLayer(path) ? [notIgnored(path, true)] : []),
          ...secretsIn(lines.map(({ text }) => text).join('\n'), secrets).map(({ name, line }) =>
            inVersionControl(path, { name, line: lines[line - 1]?.line ?? 1 }, true),
          ),
        ])
  const faults = found.filter(({ kind, name }) => !isAccepted(definition?.accepted, kind, [name]))
  report(faults, project, secrets, options)
  return {
    exitCode: faults.length > 0 || project.faults.length > 0 ? exitCodes.faults : exitCodes.fine,
    cause: project.cause,
  }
}

/** What a build made, searched file by file, whatever they are; by the path from the working directory, or the root's. */
function inBuilt(
  folder: string,
  project: Project,
  layers: readonly Layer[],
  options: GuardOptions,
): { exitCode: number; cause?: string | undefined } {
  const path = [resolve(folder), join(project.root, folder)].find((each) => statSync(each, { throwIfNoEntry: false }))
  if (path === undefined) throw new UsageError(`There is no ${folder}. Name a folder or a file that a build has made.`)
  const secrets = secretsOf(project.definition, layers)
  const files = statSync(path).isDirectory() ? filesBelow(path) : ['']
  const looked = counting(files, (count) => `Looked through ${counted(count, 'file')} …`)
  const faults = [...looked].flatMap((file) => {
    const bytes = bytesAt(join(path, file))
    return bytes ? secretsInBytes(bytes, secrets).map((each) => inBundle(join(folder, file), each)) : []
  })
  const left = faults.filter(({ kind, name }) => !isAccepted(project.definition?.accepted, kind, [name]))
  report(left, project, secrets, options)
  return { exitCode: left.length > 0 || project.faults.length > 0 ? exitCodes.faults : exitCodes.fine }
}

/** Every file below a folder, by its path from there; links are not followed. */
function filesBelow(folder: string): string[] {
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((each) => each.isFile())
    .map((each) => relative(folder, join(each.parentPath, each.name)))
    .sort()
}

/** The layer files of all stages, as they are. */
function layersOf({ root, definition }: Project): readonly Layer[] {
  const stages = stagesOf(definition)
  return layerNamesIn(root).flatMap((name) => {
    const text = textAt(join(root, name))
    const known = name === '.env' || name === '.env.local' || stages.some((stage) => name.startsWith(`.env.${stage}`))
    return text === undefined || !known ? [] : [layerFromText(name, text, { local: name.endsWith('.local') })]
  })
}

/** Layers of this machine that version control has or would take; where none is there yet, the usual ones that may come. */
function ignoring({ root, definition }: Project, tracked: readonly string[]): Fault[] {
  const own = namesIn(root).filter(isLocalLayer)
  const usual = ['.env.local', ...stagesOf(definition).map((stage) => `.env.${stage}.local`)]
  const found = unguardedLayers(root, own.length > 0 ? own : usual, tracked)
  // Of those that may come, one says enough.
  const told =
    own.length > 0
      ? found
      : [...found.filter((each) => each.tracked), ...found.filter((each) => !each.tracked).slice(0, 1)]
  return told.map((each) => notIgnored(each.path, each.tracked))
}

/** Larger files are data, and searched by what is to come of this command. Bytes. */
const sizeMax = 4 * 1024 * 1024

function* textsOf(root: string, paths: readonly string[]) {
  for (const path of paths) {
    const text = textAt(join(root, path), sizeMax)
    if (text !== undefined) yield { path, text }
  }
}

function inTracked(root: string, tracked: readonly string[], secrets: KnownSecrets): Fault[] {
  if (secrets.needles.isEmpty) return []
  const looked = counting(textsOf(root, tracked), (count) => `Looked through ${counted(count, 'file')} …`)
  return foundInFiles(looked, secrets, isLocalLayer).flatMap(({ path, found }) =>
    found.map((each) => inVersionControl(path, each, false)),
  )
}

/** What would be in the published package, or go to a container's build. */
async function packed(root: string, secrets: KnownSecrets): Promise<Fault[]> {
  const published = await publishedPaths(root)
  const local = namesIn(root).filter(isLocalLayer)
  const built = await builtPaths(root, local)
  const inPackage = foundInFiles(textsOf(root, published), secrets, isLocalLayer)
  return [
    ...published.filter(isLocalLayer).map((path) => handedOn(path, 'package', undefined)),
    ...inPackage.map(({ path, found }) => handedOn(path, 'package', found[0]?.name)),
    ...built.map((path) => handedOn(path, 'image', undefined)),
  ]
}

function report(faults: readonly Fault[], project: Project, secrets: KnownSecrets, options: GuardOptions): void {
  const terminal = output()
  const { root } = project
  const reported = {
    stage: { name: 'all stages', from: undefined },
    faults: [...project.faults, ...faults],
    notices: [],
  }
  if (options.json) terminal.write(jsonText(reportJson(reported)))
  else if (options.sarif) terminal.write(jsonText(reportSarif(reported, { root: pathToFileURL(`${root}/`).href })))
  else if (reported.faults.length > 0) {
    const text = reportText(reported, terminal)
    terminal.write(text.slice(text.indexOf('\n\n') + 2))
  } else {
    const where =
      options.bundle !== undefined
        ? `in ${options.bundle}`
        : options.staged
          ? 'in what is staged'
          : 'in what version control has, nor in what is packed'
    const known = `${secrets.known.size} of the ${counted(secrets.names.size, 'secret')} of the legend`
    const told = project.definition ? `Looked for ${known}, whose values this machine has.` : ''
    const short = [...secrets.short].join(', ')
    const unsought = short === '' ? '' : `Too short to be looked for: ${short}.`
    terminal.write(`${paragraph(`No secret was found ${where}. ${told} ${unsought}`.trim(), terminal.width)}\n`)
  }
}

/** Programs that keep hooks of their own, by a file of theirs: what they do not know of they may overwrite. */
const managers: readonly (readonly [file: string, how: string])[] = [
  ['lefthook.yml', 'under pre-commit, commands'],
  ['lefthook.yaml', 'under pre-commit, commands'],
  ['.pre-commit-config.yaml', 'as a local hook'],
  ['.simple-git-hooks.json', 'under pre-commit'],
]

/** Adds the call to the repository's pre-commit hook; what stands there goes on. */
function install(root: string): { exitCode: number } {
  const line = 'mappa guard --staged'
  const folder = hooksFolder(root)
  const tell = (text: string) => {
    talk().write(`${text}\n`)
    return { exitCode: exitCodes.faults }
  }
  if (folder === undefined) return tell('There is no version control here, so there is no hook to add to.')
  const manager = managers.find(([file]) => textAt(join(root, file)) !== undefined)
  if (manager) return tell(`${manager[0]} says what runs before a commit. Add there, ${manager[1]}: ${line}`)
  // A program that makes hooks keeps the person's own beside its folder.
  const path = join(folder.replace(/[\\/]_$/, ''), 'pre-commit')
  const shown = relative(root, path) || path
  const before = textAt(path)
  const after = withGuard(before, relative(repositoryTop(root) ?? root, root))
  if (after === undefined) return tell(`${shown} is not a shell script, so it stays as it is. Add to it: ${line}`)
  if (after === before) {
    output().write(`${shown} runs mappa guard already.\n`)
    return { exitCode: exitCodes.fine }
  }
  try {
    writeFiles([{ path, text: after, before: before ?? null, executable: true }], root)
  } catch (error) {
    if (!(error instanceof WriteError)) throw error
    return tell(error.message)
  }
  output().write(`${shown} runs mappa guard --staged before each commit now.\n`)
  return { exitCode: exitCodes.fine }
}
