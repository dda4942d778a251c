import { readFileSync, statSync } from 'node:fs'
import { resolve } from 'node:path'
import { reportText, type Survey, stampPage } from 'mappa'
import { builtStageOf, writeFiles } from 'mappa/command'
import { telling } from '../project/made-file.js'
import { isPage, type OutputChange, outputFolderOf, renewOutput } from '../project/output-folder.js'
import { faultsElsewhere, pageNames, pageSurvey } from '../project/page-survey.js'
import { exitCodeFor, openSound, type ProjectOptions, type SoundProject } from '../project/project.js'
import { paragraph } from '../terminal/paragraph.js'
import { handOver, talk } from '../terminal/terminal.js'
import { exitCodes, UsageError } from '../terminal/usage-error.js'

/** Options of `mappa stamp`. */
export interface StampOptions extends ProjectOptions {
  /** Whether the files themselves get the values. */
  readonly inPlace?: boolean
  /** The file that the result is written to. */
  readonly out?: string
}

/** `mappa stamp`: puts a stage's values into pages that take them when they are handed out. */
export async function stamp(
  files: readonly string[],
  options: StampOptions,
): Promise<{ exitCode: number; cause?: string | undefined }> {
  if (options.inPlace && options.out !== undefined) throw new UsageError('Name either --in-place or --out.')
  if (files.length > 1 && !options.inPlace) throw new UsageError('Several pages are stamped with --in-place.')
  const pages = files.map(pageAt)
  const project = await openSound(options, 'Nothing was stamped.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  const { definition } = project
  const names = pageNames(definition, 'start')
  if (names.length === 0) {
    talk().write(
      "No entry of the legend is for pages that take it when they are handed out. Write in one: reach: 'browser', fixed: 'start'\nNothing was stamped.\n",
    )
    return { exitCode: exitCodes.faults }
  }
  const found = await pageSurvey(project, options)
  const faults = faultsElsewhere(found)
  if (faults.length > 0 || !found.settings) {
    const { stage, notices } = found
    talk().write(reportText({ stage, faults, notices }, { ...talk(), consequence: 'Nothing was stamped.' }))
    return { exitCode: exitCodeFor(faults) }
  }
  const settings = found.settings
  const stamped = pages.map(({ file, text }) => ({ file, text, html: stampPage(text, settings) }))
  for (const line of await keptFromBuild(stamped.map(({ text }) => text).map(builtStageOf), project, options, found))
    talk().write(`${paragraph(line, talk().width)}\n`)
  return telling(async () => {
    if (options.inPlace) stampInPlace(stamped, project.root, found.stage.name)
    else if (options.out !== undefined) {
      const path = resolve(options.out)
      writeFiles([{ path, text: stamped[0]?.html ?? '' }], project.root)
      talk().write(`${options.out} has the values of ${found.stage.name}.\n`)
    } else handOver(stamped[0]?.html ?? '')
    return { exitCode: exitCodes.fine }
  })
}

interface Page {
  /** As it was named. */
  readonly file: string
  readonly text: string
}

/** @throws {UsageError} for what is no page that can be read as text. */
function pageAt(file: string): Page {
  if (!isPage(file)) throw new UsageError('stamp takes pages: files whose names end in .html')
  const stats = statSync(file, { throwIfNoEntry: false })
  if (!stats?.isFile()) throw new UsageError(`There is no file ${file}. Name a page that a build has made.`)
  const bytes = readFileSync(file)
  try {
    return { file, text: new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes) }
  } catch {
    throw new UsageError(`${file} is not UTF-8, so nothing can be put into it.`)
  }
}

/** What pages that were built for another stage keep of it, a sentence for each of those stages. */
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
    const [others, entries] = kept.length === 1 ? ['another value', 'its entry'] : ['other values', 'their entries']
    lines.push(
      `Notice: the page was built for ${stage}, which has ${others} of ${kept.join(', ')}; what it carries of that stays. Build it for ${found.stage.name}, or write fixed: 'start' in ${entries}.`,
    )
  }
  return lines
}

/** Writes pages and what is made of them, for each folder all or none. */
function stampInPlace(pages: readonly (Page & { readonly html: string })[], root: string, stage: string): void {
  const folders = new Map<string, OutputChange[]>()
  for (const { file, text, html } of pages) {
    if (html === text) {
      talk().write(`${file} has the values of ${stage} already.\n`)
      continue
    }
    const path = resolve(file)
    const folder = outputFolderOf(path, root)
    const change = { path, before: Buffer.from(text), after: Buffer.from(html) }
    folders.set(folder, [...(folders.get(folder) ?? []), change])
  }
  for (const [folder, changes] of folders) {
    const { writes, renewed, told } = renewOutput(folder, folder !== root, changes)
    writeFiles(writes, folder)
    for (const { file } of pages.filter(({ file }) => changes.some(({ path }) => path === resolve(file))))
      talk().write(`${file} has the values of ${stage}.\n`)
    if (renewed.length > 0) talk().write(`What is made of it was made anew: ${renewed.join(', ')}.\n`)
    for (const line of told) talk().write(`${paragraph(`Notice: ${line}`, talk().width)}\n`)
  }
}
