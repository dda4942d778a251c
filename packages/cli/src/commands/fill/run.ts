import { join } from 'node:path'
import { entriesOf, isName, readLayer, type Survey, surveyLayers, type Texts, type Variable, variablesOf } from 'mappa'
import { gatherAt, layerFiles } from 'mappa/command'
import { counted } from '../../declared/counted.js'
import { obtainLines, sentencesOf } from '../../declared/sentences.js'
import { wrongAnswer } from '../../edits/answer.js'
import { committedWith, fileFor, type Into } from '../../edits/belongs.js'
import { holdersOf } from '../../edits/holders.js'
import { withIgnoreRules } from '../../edits/ignore.js'
import { capturedTexts, givenText } from '../../project/captured.js'
import { described } from '../../project/described.js'
import { ignoredFiles, isVersioned, layerNamesIn, projectFiles } from '../../project/files.js'
import { tellReadable, tellRecovered, textIn } from '../../project/made-file.js'
import { openSound, type ProjectOptions, type SoundProject } from '../../project/project.js'
import { lackingInImages, otherStartsText } from '../../project/starts-here.js'
import { jsonReport } from '../../terminal/json-report.js'
import { paragraph } from '../../terminal/paragraph.js'
import { remedyText } from '../../terminal/remedy.js'
import { isAsked, jsonText, output, talk } from '../../terminal/terminal.js'
import { unknownVariable } from '../../terminal/unknown-variable.js'
import { exitCodes, UsageError } from '../../terminal/usage-error.js'
import { WriteError, writeFiles } from '../../writing/write.js'
import { type Filled, filledLayers, type LayerChange } from './changes.js'
import { filledText } from './filled-text.js'
import { freshValue } from './fresh.js'
import { lackingIn } from './lacking.js'
import { itemsIn, itemsText } from './secret-list.js'

/** Options of `mappa fill`. */
export interface FillOptions extends ProjectOptions {
  /** True if what the legend knows how to make is made without asking. */
  readonly generate?: boolean
  readonly into?: Into
  /** A file that holds values, or `-`. */
  readonly from?: string
  /** True if the names given get a new secret in place of the old one. */
  readonly replace?: boolean
  /** True if a list of secrets keeps its first one only. */
  readonly dropOld?: boolean
  readonly json?: boolean
}

/** The state of a run of `fill`. */
interface Run {
  readonly project: SoundProject
  readonly found: Survey
  readonly variables: readonly Variable[]
  readonly options: FillOptions
  readonly place: (variable: Variable) => string
}

/** `mappa fill [NAME[=value]…]`: gives a stage on this machine the values that it lacks, or these ones anew. */
export async function fill(
  given: readonly string[],
  options: FillOptions,
): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openSound(options, 'Nothing was written.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  const found = stageFound(project, options)
  const stage = found.stage.name
  const variables = variablesOf(await described(project), stage)
  const differing = namesDiffering(project, stage)
  const stageNamed = options.stage !== undefined
  const place = (variable: Variable) => fileFor(variable, { found, into: options.into, stageNamed, differing })
  const run: Run = { project, found, variables, options, place }
  const wanted = wantedIn(given, run)
  const filled = await valuesFor(wanted, run)
  return written(filled, run, wanted.length > 0)
}

/** A variable that a command line names, with the value that it gives. */
interface Asked {
  readonly variable: Variable
  readonly text: string | undefined
}

/** The named variables with their entries. Text after `=` is never repeated, since it may be a secret. */
function wantedIn(given: readonly string[], { variables, options }: Run): readonly Asked[] {
  const wanted = given.map((each, at) => {
    const equals = each.indexOf('=')
    const name = equals < 0 ? each : each.slice(0, equals)
    const variable = variables.find((known) => known.name === name)
    const shown = isName(name) && /^[A-Z0-9_]+$/.test(name) ? name : `Argument ${at + 1}`
    if (!variable)
      throw new UsageError(
        unknownVariable(
          shown,
          variables.map((each) => each.name),
        ),
      )
    if (equals >= 0 && variable.secret)
      throw new UsageError(`${name} is secret, but other processes can read the command line. Run: mappa fill ${name}`)
    if (options.into !== undefined && options.into !== 'local' && variable.secret)
      throw new UsageError(`${name} is secret, so it belongs in a layer of this machine: --into local`)
    return { variable, text: equals < 0 ? undefined : each.slice(equals + 1) }
  })
  if ((options.replace || options.dropOld) && wanted.length === 0)
    throw new UsageError(
      `--${options.replace ? 'replace' : 'drop-old'} needs a name, for example: mappa fill ALERT_TOKEN --replace`,
    )
  if (options.from !== undefined && wanted.some(({ text }) => text !== undefined))
    throw new UsageError('Give values on the command line or with --from, not both.')
  for (const { variable } of wanted) {
    if (options.replace && !variable.secret)
      throw new UsageError(
        `--replace is for secrets, but ${variable.name} is not secret. Run: mappa fill ${variable.name}`,
      )
    if (options.dropOld && variable.type !== 'array')
      throw new UsageError(`--drop-old is for a list of secrets, but ${variable.name} is not a list.`)
  }
  return wanted
}

/** The values that are to be written: given, taken from a file, made, moved, or asked for. */
async function valuesFor(wanted: readonly Asked[], run: Run): Promise<readonly Filled[]> {
  const { found, variables, options, place } = run
  const as = (variable: Variable, text: string): Filled => ({
    name: variable.name,
    secret: variable.secret,
    text,
    file: place(variable),
    outOf: committedWith(found, variable),
  })
  if (options.from !== undefined) return fromFile(options.from, wanted, run, as)
  const lacking = lackingIn(found, variables)
  const asked = wanted.length > 0 ? wanted : lacking.map((variable) => ({ variable, text: undefined }))
  const filled: Filled[] = []
  for (const { variable, text } of asked) {
    const value = text === undefined ? await askedFor(variable, run) : checkedValue(variable, text, run)
    if (value !== undefined) filled.push(as(variable, value))
  }
  return filled
}

/** A value that is right by its entry; else the command ends with what is wrong. */
function checkedValue({ name, secret }: Variable, text: string, { project, found }: Run): string {
  const wrong = wrongAnswer(project.definition, found.stage.name, name, text)
  if (wrong !== undefined)
    throw new UsageError(secret ? `${wrong} Nothing was written.` : `${wrong}\nNothing was written.`)
  return text
}

async function fromFile(
  file: string,
  wanted: readonly Asked[],
  run: Run,
  as: (variable: Variable, text: string) => Filled,
): Promise<readonly Filled[]> {
  const values = valuesIn(await givenText('--from', file))
  const names = new Set(wanted.map(({ variable }) => variable.name))
  const known = run.variables.filter(({ name }) => values[name] !== undefined && (names.size === 0 || names.has(name)))
  const strangers = Object.keys(values).filter((name) => !run.variables.some((each) => each.name === name))
  if (strangers.length > 0) talk().write(`Skipped ${counted(strangers.length, 'name')} not in the legend.\n`)
  const wrong = known.flatMap(({ name }) => {
    const why = wrongAnswer(run.project.definition, run.found.stage.name, name, values[name] as string)
    return why === undefined ? [] : [why]
  })
  if (wrong.length > 0) throw new UsageError(`${wrong.join('\n')}\nNothing was written.`)
  return known.map((variable) => as(variable, values[variable.name] as string))
}

/** Values by name, from JSON, an environment with NULs, or layer text. */
function valuesIn(text: string): Texts {
  const isData = /^\s*[[{]/.test(text) || text.includes('\0')
  const captured = isData ? capturedTexts(text) : undefined
  if (captured) return captured
  const layer = readLayer(text)
  const [flaw] = layer.faults
  if (isData || flaw)
    throw new UsageError(
      `--from takes layer text or a JSON object of texts${flaw && !isData ? `, but line ${flaw.line} is neither` : ''}. Nothing was written.`,
    )
  return Object.fromEntries(layer.names().map((name) => [name, layer.get(name)]))
}

/** One value: made where the legend says how, moved where it is in the wrong file, else asked for; undefined if it is left as it is. */
async function askedFor(variable: Variable, run: Run): Promise<string | undefined> {
  const { found, options, project } = run
  const { name, generate } = variable
  const old = oldText(found, name)
  const items = options.replace || options.dropOld ? itemsIn(project.definition, name, old ?? '') : undefined
  if (options.dropOld && items) return itemsText(project.definition, name, items.slice(0, 1))
  const fresh = async () => {
    if (generate && (options.generate || options.replace)) return freshValue(generate)
    // A secret in a committed layer is moved as it is, unless a person gives another one.
    const kept = options.replace ? undefined : strayText(found, variable)
    if (!isAsked()) return kept
    tellOf(variable, run)
    const { askFor } = await import('./questions.js')
    const otherwise = generate ? 'generate a fresh value' : kept ? 'move the existing value' : old ? 'keep it' : 'skip'
    const answer = await askFor(variable, otherwise, (text) =>
      wrongAnswer(project.definition, found.stage.name, name, text),
    )
    return answer ?? (generate ? freshValue(generate) : kept)
  }
  const value = await fresh()
  return value === undefined || !items ? value : itemsText(project.definition, name, [value, ...items])
}

/** The text that a layer file gives a name now. */
function oldText(found: Survey, name: string): string | undefined {
  return found.layers.findLast((each) => each.source === 'file' && each.get(name))?.get(name)
}

/** The text of a secret that is in a committed layer, and nowhere above. What is built on others stays where those are. */
function strayText(found: Survey, variable: Variable): string | undefined {
  const old = oldText(found, variable.name)
  return committedWith(found, variable).length > 0 && !old?.includes('${') ? old : undefined
}

/** The text above a question. */
function tellOf(variable: Variable, { place }: Run): void {
  const terminal = output()
  const lines = [`${terminal.paint.bold(variable.name)}  ${terminal.paint.dim(`goes to ${place(variable)}`)}`]
  for (const sentence of [sentencesOf(variable).join(' '), ...obtainLines(variable)])
    if (sentence) lines.push(paragraph(sentence, terminal.width - 4).replace(/^/gm, '    '))
  terminal.write(`\n${lines.join('\n')}\n`)
}

/** Writes what there is, all files or none, and says what is still lacking. */
async function written(filled: readonly Filled[], run: Run, isNamed: boolean): Promise<{ exitCode: number }> {
  const { project, options, found } = run
  const { root } = project
  const terminal = output()
  const read = (path: string) => textIn(root, path)
  try {
    const changes = filledLayers(filled, read)
    const rules = ignoreRulesFor(project, changes)
    await writeFiles(
      [...changes, ...rules].map(({ path, before, after, secret }) => ({
        path: join(root, path),
        text: after,
        before,
        secret,
        // The old value of a secret that is replaced is never kept.
        forgets: options.replace === true && changes.some((each) => each.path === path),
      })),
      root,
      { onRecovered: tellRecovered, onReadable: tellReadable },
    )
    const after = stageFound(project, options)
    const left = lackingIn(after, run.variables).filter(
      (variable) => !isNamed || filled.every(({ name }) => name !== variable.name),
    )
    const open = isNamed ? [] : left
    if (options.json)
      terminal.write(
        jsonText(
          jsonReport(
            { stage: after.stage },
            {
              written: filled.map(({ name, file }) => ({ name, layer: file })),
              missing: left.map(({ name }) => name),
            },
            open.length === 0,
          ),
        ),
      )
    else {
      const done = {
        filled,
        changes: [...changes, ...rules],
        left: open,
        found,
        place: run.place,
        named: isNamed,
        definition: project.definition,
      }
      terminal.write(filledText(done, terminal, isAsked()))
      // What is written helps only a start that loads it.
      const names = new Set(filled.map(({ name }) => name))
      if (names.size > 0) terminal.write(otherStartsText(project, after, names, terminal.width))
      const files = new Set(filled.map(({ file }) => file))
      for (const { message, remedy = '' } of lackingInImages(project, after))
        if ([...files].some((file) => message.includes(file)))
          terminal.write(`${paragraph(message, terminal.width)}\n${remedyText(remedy)}\n`)
    }
    if (options.replace || options.dropOld) tellHolders(filled, run)
    const isShort = isNamed ? filled.length === 0 : open.length > 0
    return { exitCode: isShort ? exitCodes.faults : exitCodes.fine }
  } catch (error) {
    if (!(error instanceof WriteError || error instanceof RangeError)) throw error
    talk().write(`${error.message}${error instanceof RangeError ? ' Nothing was written.' : ''}\n`)
    return { exitCode: exitCodes.faults }
  }
}

/** Places that still hold the replaced value: layers, this process's environment, and files of the project. */
function tellHolders(filled: readonly Filled[], { project, found, variables }: Run): void {
  const terminal = output()
  for (const { name, text } of filled) {
    const layer = found.layers.findLast((each) => each.get(name))
    const old = layer?.get(name)
    const variable = variables.find((each) => each.name === name)
    if (old === undefined || old === text) continue
    const gone = itemsIn(project.definition, name, old)?.filter((item) => !text.includes(item)) ?? [old]
    const host = Object.entries(process.env).map(([each, value]) => ({
      path: `the process environment, ${each}`,
      text: value ?? '',
    }))
    const holders = [
      ...holdersOf(gone, projectFiles(project.root)),
      ...holdersOf(gone, host).map((each) => each.replace(/:1$/, '')),
    ]
    const lines = [
      ...(gone.length === 0
        ? [
            `The old value of ${name} still works beside the new one. Once nothing uses it, run: mappa fill ${name} --drop-old`,
          ]
        : []),
      ...(holders.length > 0 ? [`The old value of ${name} is still in: ${holders.join(', ')}.`] : []),
      ...(gone.some((value) => Buffer.byteLength(value) < 8)
        ? [`The old value of ${name} is too short to search for.`]
        : []),
      `Replace it on every host, and revoke the old one${variable?.obtain ? `: ${variable.obtain}` : '.'}`,
    ]
    terminal.write(`${lines.map((line) => paragraph(line, terminal.width)).join('\n')}\n`)
  }
}

/** Rules for git, if it would take a file that this run writes a secret to. */
function ignoreRulesFor({ root, legendFile }: SoundProject, changes: readonly LayerChange[]): readonly LayerChange[] {
  const secret = changes.filter((change) => change.secret).map(({ path }) => path)
  if (secret.length === 0 || !isVersioned(root)) return []
  const ignored = ignoredFiles(root, legendFile, secret)
  if (secret.every((path) => ignored.has(path))) return []
  const before = textIn(root, '.gitignore')
  const after = withIgnoreRules(before)
  return after === undefined ? [] : [{ path: '.gitignore', before: before ?? null, after, secret: false }]
}

/** A stage on this machine, without asking any source: this only looks. */
function stageFound(
  { root, definition, legendFile }: SoundProject,
  { stage, stageFrom = '--stage' }: FillOptions,
): Survey {
  const named = stage === undefined ? {} : { stage: { name: stage, from: stageFrom } }
  const gathered = gatherAt(root, definition, named)
  return surveyLayers(definition, { ...gathered, legendName: legendFile })
}

/** Names whose values differ by stage: a layer file of another stage sets them, or the legend has words of theirs for one. */
function namesDiffering({ root, definition }: SoundProject, stage: string): ReadonlySet<string> {
  const own = new Set(layerFiles(stage, definition.like).map(({ name }) => name))
  const others = layerNamesIn(root).filter((name) => !own.has(name))
  const worded = Object.entries(entriesOf(definition)).flatMap(([name, { stages }]) => (stages ? [name] : []))
  return new Set([...worded, ...others.flatMap((name) => readLayer(textIn(root, name) ?? '').names())])
}
