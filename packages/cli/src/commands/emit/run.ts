import { basename, resolve } from 'node:path'
import { entriesOf, type Fault, type Legend, toJsonSchema, variablesOf } from 'mappa'
import { browserModule, type DeliveredValue, emittedFrom, textAt } from 'mappa/command'
import { chosenValues, fromHere } from '../../delivery/chosen-values.js'
import { deliver, hiddenTextsOf } from '../../delivery/deliver.js'
import { faultsElsewhere, pageSurvey } from '../../delivery/page-survey.js'
import { described } from '../../project/described.js'
import { telling, tellReadable, tellRecovered, textIn } from '../../project/made-file.js'
import { exitCodeFor, openSound, type ProjectOptions } from '../../project/project.js'
import { tellFaults } from '../../terminal/json-report.js'
import { say } from '../../terminal/say.js'
import { jsonText, output, printExact, talk } from '../../terminal/terminal.js'
import { type Ended, exitCodes, UsageError } from '../../terminal/usage-error.js'
import { writeFiles } from '../../writing/write.js'
import { tooLargeObjects, wrongObjectName } from './cluster.js'
import type { EmitForm, Unheld } from './emit-form.js'
import { emitForms, type FormName, unheldIn } from './forms.js'
import { isEmittedModule, pageModule } from './module.js'

/** Options of `mappa emit`. */
export interface EmitOptions extends ProjectOptions {
  readonly as?: string
  /** The address of a host that gets the values. */
  readonly to?: string
  /** The variable that holds the token for the host. */
  readonly tokenFrom?: string
  /** True if the host gets them without asking. */
  readonly apply?: boolean
  readonly json?: boolean
  /** The file that is written, instead of standard output. */
  readonly out?: string
  /** Names of variables, and patterns of such, separated by commas. */
  readonly only?: string
  readonly reach?: 'server' | 'browser'
  /** False leaves secrets out. */
  readonly secrets?: boolean
  /** True if data is written as text, as an environment has it. */
  readonly text?: boolean
  /** Name and namespace of the cluster's objects. */
  readonly name?: string
  readonly namespace?: string
}

/** `mappa emit`: a stage's values in a form that something else reads; the legend; the values of pages as a module. */
export async function emit(options: EmitOptions): Promise<Ended> {
  const { as, to } = options
  const forms = [...Object.keys(emitForms), 'module', 'legend']
  if (to !== undefined) {
    if (as !== undefined) throw new UsageError('emit takes --as or --to, not both.')
    refuseOdd(options)
    const { emitToHost } = await import('./to-host.js')
    return emitToHost({ ...options, to })
  }
  if (as === undefined) throw new UsageError(`Name a form, --as ${forms.join(', ')}, or a host, --to https://…`)
  if (!forms.includes(as)) throw new UsageError(`--as takes one of ${forms.join(', ')}`)
  refuseOdd(options)
  if (as === 'module') return emitModule(options)
  if (as === 'legend') return emitLegend(options)
  return emitValues(options, emitForms[as as FormName])
}

/** Options that say nothing of a form would be left unheard. */
function refuseOdd(options: EmitOptions): void {
  const { as = '', to, out, only, reach, secrets, text, name, namespace, tokenFrom, apply, json } = options
  const isValues = as in emitForms || to !== undefined
  const odd = [
    ...(out !== undefined && (as === 'legend' || to !== undefined) ? ['--out'] : []),
    ...(to === undefined && tokenFrom !== undefined ? ['--token-from'] : []),
    ...(to === undefined && apply ? ['--apply'] : []),
    ...(to === undefined && json ? ['--json'] : []),
    ...(!isValues && only !== undefined ? ['--only'] : []),
    ...(!isValues && reach !== undefined ? ['--reach'] : []),
    ...(!isValues && secrets === false ? ['--no-secrets'] : []),
    ...(!['json', 'yaml'].includes(as) && text ? ['--text'] : []),
    ...(as !== 'cluster' && name !== undefined ? ['--name'] : []),
    ...(as !== 'cluster' && namespace !== undefined ? ['--namespace'] : []),
  ]
  if (odd.length > 0)
    throw new UsageError(
      `${odd.join(', ')} cannot be used with ${to === undefined ? `--as ${as}` : '--to'}. Run: mappa emit --help`,
    )
  for (const each of [name, namespace]) {
    const wrong = each === undefined ? undefined : wrongObjectName(each)
    if (wrong !== undefined) throw new UsageError(wrong)
  }
}

async function emitValues(options: EmitOptions, form: EmitForm): Promise<Ended> {
  const project = await openSound(options, 'Nothing was written.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  const { root } = project
  const { found, values: chosen, faults } = await chosenValues(project, options)
  // A program with only these values must know its stage.
  const isWhole = form.isEnvironment && options.only === undefined && faults.length === 0
  const values = isWhole ? [...chosen, stageValue(found.stage.name)] : chosen
  const name = options.name ?? objectNameOf(root)
  const all = [
    ...faults,
    ...unheldIn(form, values).map((unheld) => unheldFault(unheld, options.as ?? '')),
    ...(options.as === 'cluster' ? tooLargeObjects(values).map(tooLargeFault) : []),
  ]
  if (all.length > 0) {
    tellFaults({ stage: found.stage, faults: all, notices: [] }, 'Nothing was written.')
    return { exitCode: exitCodeFor(all) }
  }
  for (const line of fromHere(found, values)) say(line)
  const text = await form.write(values, {
    name,
    namespace: options.namespace,
    stage: found.stage.name,
    asText: options.text === true,
  })
  const remark = form.remark ? `${form.remark} Values of stage ${found.stage.name}, written by mappa emit.\n` : ''
  const known = new Set(found.trails.keys())
  return deliver(
    [
      {
        path: options.out,
        text: remark + text,
        secrets: values.flatMap(({ name, hidden }) => (hidden ? [name] : [])),
        isMade: (before) =>
          form.remark
            ? /^# Values of stage [a-z0-9-]+, written by mappa emit\.$/m.test(before)
            : isObjectOf(before, known),
      },
    ],
    { root, hidden: hiddenTextsOf(found, values), said: `has the values of stage ${found.stage.name}.` },
  )
}

/** Tells whether a text is JSON as this command writes it, of these variables and perhaps others that have gone since. */
function isObjectOf(text: string, known: ReadonlySet<string>): boolean {
  try {
    const names = Object.keys(JSON.parse(text))
    return names.filter((name) => known.has(name)).length * 2 >= names.length
  } catch {
    return false
  }
}

function stageValue(stage: string): DeliveredValue {
  const base = { name: 'MAPPA_STAGE', text: stage, data: stage, hidden: false, declared: true }
  return { ...base, reach: 'server', source: 'given' }
}

/** A directory's name as a cluster takes it. */
function objectNameOf(root: string): string {
  const name = basename(root)
    .toLowerCase()
    .replace(/[^a-z0-9-]+/g, '-')
    .replace(/^-+|-+$/g, '')
  return name === '' ? 'settings' : name
}

function unheldFault({ kind, name, why }: Unheld, form: string): Fault {
  return {
    kind,
    name,
    message: `${name} ${why}.`,
    remedy:
      form === 'container'
        ? 'Use another form such as --as cluster, or a file that NAME_FILE names. Or leave it out with --only.'
        : 'Write it as base64, or leave it out with --only.',
  }
}

function tooLargeFault(kind: string): Fault {
  return {
    kind: 'cannot-hold',
    message: `The ${kind} is larger than 1 MiB, the limit of a cluster.`,
    remedy: 'Keep data elsewhere, or write only some variables: --only NAMES',
  }
}

/** For what builds pages without a plugin: a module of their values in a stage, with their types. */
async function emitModule(options: EmitOptions): Promise<Ended> {
  const { out } = options
  if (out !== undefined && !/\.[cm]?[jt]s$/.test(out))
    throw new UsageError('--out takes a file whose name ends in .ts, .js or .mjs')
  const project = await openSound(options, 'Nothing was written.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  const { definition, root } = project
  const found = await pageSurvey(project, options)
  const faults = faultsElsewhere(found)
  const { stage, notices, settings } = found
  if (faults.length > 0 || !settings) {
    tellFaults({ stage, faults, notices }, 'Nothing was written.')
    return { exitCode: exitCodeFor(faults) }
  }
  const isTyped = out !== undefined && /\.[cm]?ts$/.test(out)
  const code = browserModule(definition, found, 'build')
  const variables = variablesOf(await described(project))
  const text = pageModule(code, variables, definition, { stage: stage.name, isTyped })
  if (out === undefined) {
    printExact(text)
    return { exitCode: exitCodes.fine }
  }
  return telling(async () => {
    const path = resolve(out)
    const before = textAt(path)
    if (before !== undefined && !isEmittedModule(before)) {
      talk().write(`mappa emit did not write ${out}, so it was not changed. Name another file with --out.\n`)
      return { exitCode: exitCodes.faults }
    }
    await writeFiles([{ path, text, before: before ?? null, outside: true }], root, {
      onRecovered: tellRecovered,
      onReadable: tellReadable,
    })
    output().write(`${out} has the values of pages in stage ${stage.name}.\n`)
    return { exitCode: exitCodes.fine }
  })
}

/** The legend as a JSON Schema document, which programs can read that do not run it. */
async function emitLegend(options: EmitOptions): Promise<Ended> {
  const project = await openSound(options, 'Nothing was written.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  const { root, legendFile } = project
  const definition = await described(project)
  const document = {
    ...toJsonSchema(definition),
    ...(!legendFile.endsWith('.json') && emittedFrom(legendFile, textIn(root, legendFile) ?? '')),
  }
  output().write(jsonText(document))
  const lost = functionsOf(definition)
  if (lost.length > 0) talk().write(`Notice: JSON has no functions, so these are left out: ${lost.join(', ')}.\n`)
  return { exitCode: exitCodes.fine }
}

/** The words of a legend that are not data. */
function functionsOf(definition: Legend): string[] {
  const { rules } = definition
  const words = Object.entries(entriesOf(definition)).flatMap(([name, entry]) =>
    ['read', 'schema'].filter((word) => word in entry).map((word) => `${word} of ${name}`),
  )
  return rules && Object.keys(rules).length > 0 ? [...words, 'the rules'] : words
}
