import { readFileSync, statSync } from 'node:fs'
import { basename, join, resolve } from 'node:path'
import { type Fault, reachesBrowser, type Survey } from 'mappa'
import { deliveredValues, heldTo } from 'mappa/command'
import { builtStageOf } from 'mappa/page'
import { lineAndColumn } from '../../code/place.js'
import { fromHere } from '../../delivery/chosen-values.js'
import { type DeliveredText, deliver, hiddenTextsOf } from '../../delivery/deliver.js'
import { faultsElsewhere, pageNames, pageSurvey } from '../../delivery/page-survey.js'
import { telling, tellReadable, tellRecovered } from '../../project/made-file.js'
import {
  exitCodeFor,
  openSound,
  type ProjectOptions,
  refuseStage,
  type SoundProject,
  surveyProject,
} from '../../project/project.js'
import { diffText } from '../../terminal/diff.js'
import { jsonReport, tellFaults } from '../../terminal/json-report.js'
import { paragraph } from '../../terminal/paragraph.js'
import { say } from '../../terminal/say.js'
import { jsonText, output, talk } from '../../terminal/terminal.js'
import { type Ended, exitCodes, UsageError } from '../../terminal/usage-error.js'
import { widest } from '../../terminal/widest.js'
import { writeFiles } from '../../writing/write.js'
import { isPage, type OutputChange, outputFolderOf, renewOutput } from './output-folder.js'
import {
  mentionedNames,
  type StampedFile,
  stampFile,
  type TemplateFile,
  type TemplateForm,
  templateFile,
  templateFormOf,
  templateForms,
  withPageBlock,
} from './stamped.js'
import { templateNames } from './template.js'

/** Options of `mappa stamp`. */
export interface StampOptions extends ProjectOptions {
  /** True if the files themselves get the values. */
  readonly inPlace?: boolean
  /** The file that the result is written to, or a directory that gets all results. */
  readonly out?: string
  /** Format of the files, if their names do not tell it. */
  readonly as?: string
  /** Another stage, whose result is compared with this one's. */
  readonly against?: string
  /** True to list only the names that the files use. */
  readonly list?: boolean
  readonly json?: boolean
}

/** `mappa stamp`: puts a stage's values into templates, and into pages that take them when they are served. */
export async function stamp(files: readonly string[], options: StampOptions): Promise<Ended> {
  const ways = [options.inPlace && '--in-place', options.out !== undefined && '--out', options.list && '--list']
  const named = [...ways, options.against !== undefined && '--against'].filter((each) => typeof each === 'string')
  if (named.length > 1) throw new UsageError(`${named.join(' and ')} cannot be used together.`)
  if (options.as !== undefined && !templateForms.includes(options.as as TemplateForm))
    throw new UsageError(`--as takes one of ${templateForms.join(', ')}`)
  const opened = files.map((file) => openedAt(file, options.as as TemplateForm | undefined))
  if (options.list) return listNames(opened, options)
  const own = files.find((file) => options.out !== undefined && resolve(file) === resolve(options.out))
  if (own !== undefined) throw new UsageError(`--out names ${own} itself. Name another file, or pass --in-place.`)
  const isStream = opened.every(({ form }) => form === 'yaml')
  const outFolder = options.out === undefined ? false : isFolder(options.out)
  if (files.length > 1 && !options.inPlace && options.against === undefined && !outFolder && !isStream)
    throw new UsageError('For several files, pass --in-place or a folder: --out FOLDER/')
  const project = await openSound(options, 'Nothing was stamped.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  if (options.against !== undefined) refuseStage(project.definition, options.against)
  const bare = opened.find(
    ({ form, template }) => form === 'html' && template.mentions.length + template.flaws.length === 0,
  )
  if (bare && pageNames(project.definition, 'start').length === 0) {
    talk().write(
      "The legend has no start-fixed browser variable. Write in an entry: reach: 'browser', fixed: 'start'\nNothing was stamped.\n",
    )
    return { exitCode: exitCodes.faults }
  }
  const result = await stampedIn(project, opened, options)
  if ('exitCode' in result) return result
  if (options.against !== undefined) return compareWith(project, result, opened, options)
  const { found, stamped } = result
  for (const line of await keptFromBuild(
    opened.map(({ template }) => template.text).map(builtStageOf),
    project,
    options,
    found,
  ))
    say(line)
  for (const { path, template } of opened)
    for (const { start, end, parts } of template.kept ?? [])
      if (parts.some((part) => typeof part === 'object' && found.trail(part.name).declared))
        say(
          `${path}:${lineAndColumn(template.text, start).line}: ${template.text.slice(start, end)} is in a script or a comment, which keeps it. Scripts read pageValues.`,
        )
  const values = deliveredValues(found)
  const used = new Set(opened.flatMap(({ template }) => [...templateNames(template).all]))
  for (const line of fromHere(
    found,
    values.filter(({ name }) => used.has(name)),
  ))
    say(line)
  if (options.inPlace && opened.every(({ form }) => form === 'html'))
    return telling(async () => {
      const pages = stamped.map(({ path, text }, at) => ({
        file: path,
        text: opened[at]?.template.text ?? '',
        html: text,
      }))
      await stampInPlace(pages, project.root, found.stage.name)
      return { exitCode: exitCodes.fine }
    })
  return deliver(outputsOf(stamped, options, outFolder), {
    root: project.root,
    hidden: hiddenTextsOf(found, values),
    said: `has the values of ${found.stage.name}.`,
    folder: outFolder ? options.out : undefined,
  })
}

/** Finds where each result goes; several of a stream are one. */
function outputsOf(
  stamped: readonly StampedFile[],
  { inPlace, out }: StampOptions,
  outFolder: boolean,
): DeliveredText[] {
  if (inPlace) return stamped.map(({ path, text, secrets }) => ({ path, text, secrets }))
  if (outFolder)
    return stamped.map(({ path, text, secrets }) => ({ path: join(out ?? '', basename(path)), text, secrets }))
  const secrets = stamped.flatMap((each) => each.secrets)
  const texts = stamped.map(({ text }) => (text.endsWith('\n') || stamped.length === 1 ? text : `${text}\n`))
  const stream = texts.reduce((all, text) => (/^(?:%|---)/.test(text) ? `${all}${text}` : `${all}---\n${text}`))
  return [{ path: out, text: stream, secrets }]
}

/** The results of a stage; problems are reported here, and the caller only ends. */
async function stampedIn(
  project: SoundProject,
  files: readonly TemplateFile[],
  options: ProjectOptions,
): Promise<{ readonly found: Survey; readonly stamped: readonly StampedFile[] } | Ended> {
  const needed = new Set(files.flatMap(({ template }) => [...templateNames(template).needed]))
  const hasPages = files.some(({ form }) => form === 'html') && pageNames(project.definition, 'start').length > 0
  const isHeld = (entry: Parameters<typeof reachesBrowser>[0], name: string) =>
    needed.has(name) || (hasPages && reachesBrowser(entry))
  const definition = heldTo(project.definition, isHeld)
  const { found } = await surveyProject({ ...project, definition }, { ...options, givenElsewhere: true })
  const stamped = files.map((file) => stampFile(file, found))
  const placed = stamped.flatMap((each) => each.faults)
  // A missing value is reported where a template uses it, if one does.
  const isPlaced = ({ name, place }: Fault) => place === undefined && placed.some((each) => each.name === name)
  const faults: Fault[] = [...faultsElsewhere(found).filter((fault) => !isPlaced(fault)), ...placed]
  if (faults.length > 0) {
    const { stage, notices } = found
    const shown = notices.filter(({ kind }) => kind !== 'hidden-by-local')
    tellFaults({ stage, faults, notices: shown }, 'Nothing was stamped.')
    return { exitCode: exitCodeFor(faults) }
  }
  const isPageFile = (at: number) => hasPages && files[at]?.form === 'html'
  return {
    found,
    stamped: stamped.map((each, at) => (isPageFile(at) ? { ...each, text: withPageBlock(each.text, found) } : each)),
  }
}

/** Tells how the results of two stages differ, with secrets masked. */
async function compareWith(
  project: SoundProject,
  own: { readonly found: Survey; readonly stamped: readonly StampedFile[] },
  files: readonly TemplateFile[],
  options: StampOptions,
): Promise<Ended> {
  const stage = options.against as string
  const other = await stampedIn(project, files, { ...options, stage, stageFrom: '--against' })
  if ('exitCode' in other) return other
  const hidden = [own, other].flatMap(({ found }) => hiddenTextsOf(found, deliveredValues(found)))
  const [from, to] = [other.found.stage.name, own.found.stage.name]
  const changes = own.stamped.flatMap(({ path, text }, at) => {
    const before = other.stamped[at]?.text ?? ''
    return before === text ? [] : [{ path, before, after: text }]
  })
  const terminal = output()
  const shown = changes.map(({ path, before, after }) => ({
    path,
    before: other.found.mask(before),
    after: own.found.mask(after),
  }))
  if (changes.length > 0) terminal.write(`${diffText(shown, hidden, terminal).trimEnd()}\n\n`)
  const text = changes.length === 0 ? `${from} and ${to} are the same.` : `- is ${from}, + is ${to}.`
  terminal.write(`${text}\n`)
  return { exitCode: exitCodes.fine }
}

/** The names that files use, each with its lines; needs no value, and no legend. */
function listNames(files: readonly TemplateFile[], { json }: StampOptions): Ended {
  const names = mentionedNames(files)
  const terminal = output()
  if (json) {
    const variables = [...names].map(([name, places]) => ({ name, places }))
    terminal.write(jsonText(jsonReport({}, { variables })))
  } else {
    const width = widest(names.keys()) + 2
    for (const [name, places] of names) terminal.write(`${name.padEnd(width)}${[...new Set(places)].join(', ')}\n`)
    if (names.size === 0) terminal.write('The files use no names.\n')
  }
  return { exitCode: exitCodes.fine }
}

/** @throws {UsageError} for what cannot be read as text. */
function openedAt(file: string, as: TemplateForm | undefined): TemplateFile {
  const stats = statSync(file, { throwIfNoEntry: false })
  if (!stats?.isFile()) throw new UsageError(`No file ${file}. Name a template or a built page.`)
  try {
    const text = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(readFileSync(file))
    return templateFile(file, text, as ?? (isPage(file) ? 'html' : templateFormOf(file)))
  } catch {
    throw new UsageError(`${file} is not UTF-8 text.`)
  }
}

function isFolder(path: string): boolean {
  return /[\\/]$/.test(path) || statSync(path, { throwIfNoEntry: false })?.isDirectory() === true
}

/** Sentences on values that pages keep from another stage's build, one for each of those stages. */
async function keptFromBuild(
  built: readonly (string | undefined)[],
  project: SoundProject,
  options: ProjectOptions,
  found: Survey,
): Promise<string[]> {
  const stages = new Set(built.filter((stage) => stage !== undefined && stage !== found.stage.name))
  const lines: string[] = []
  for (const stage of stages as Set<string>) {
    const other = await pageSurvey(project, { ...options, stage, stageFrom: 'the page' })
    const kept = pageNames(project.definition, 'build').filter(
      (name) => other.texts.get(name) !== found.texts.get(name),
    )
    if (kept.length === 0) continue
    const entries = kept.length === 1 ? 'its entry' : 'their entries'
    lines.push(
      `Notice: The page was built for ${stage}, and keeps its values of ${kept.join(', ')}. Build it for ${found.stage.name}, or write fixed: 'start' in ${entries}.`,
    )
  }
  return lines
}

/** Writes pages and what is made of them, all or none. */
async function stampInPlace(
  pages: readonly { readonly file: string; readonly text: string; readonly html: string }[],
  root: string,
  stage: string,
): Promise<void> {
  const folders = new Map<string, OutputChange[]>()
  for (const { file, text, html } of pages) {
    if (html === text) {
      talk().write(`${file} already has the values of ${stage}.\n`)
      continue
    }
    const path = resolve(file)
    const folder = outputFolderOf(path, root)
    const change = { path, before: Buffer.from(text), after: Buffer.from(html) }
    folders.set(folder, [...(folders.get(folder) ?? []), change])
  }
  const outputs = [...folders].map(([folder, changes]) => ({
    changes,
    ...renewOutput(folder, folder !== root, changes),
  }))
  const writes = outputs.flatMap((each) => each.writes.map((write) => ({ ...write, outside: true })))
  await writeFiles(writes, root, { onRecovered: tellRecovered, onReadable: tellReadable })
  for (const { changes, renewed, notices } of outputs) {
    for (const { file } of pages.filter(({ file }) => changes.some(({ path }) => path === resolve(file))))
      talk().write(`${file} has the values of ${stage}.\n`)
    if (renewed.length > 0) talk().write(`Made again from it: ${renewed.join(', ')}.\n`)
    for (const line of notices) talk().write(`${paragraph(`Notice: ${line}`, talk().width)}\n`)
  }
}
