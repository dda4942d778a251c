import MagicString from 'magic-string'
import { isMap, isPair, isScalar, isSeq, parseDocument, type Scalar } from 'yaml'
import { isHostName } from '../../code/host-names.js'
import type { SourceFile } from '../../code/parse.js'
import { ownStage } from '../../code/stages/stage-tests.js'
import type { Finding } from '../../guess/finding.js'
import { givenVariable } from '../../guess/variables.js'

/** Tells whether a file says which containers run together. */
export function isContainerFile(path: string): boolean {
  return /(?:^|\/)(?:[a-z]+-)?compose(?:\.[a-z-]+)*\.ya?ml$/.test(path)
}

/** The values in `environment:` of each service, as a map or as a list of `NAME=value`. */
export function containersIn(file: SourceFile): Finding[] {
  const stage = stageIn(file.path)
  return environmentsOf(file.text).flatMap(({ service, variables }) =>
    variables.flatMap(({ name, value, start, end }) => {
      if (isHostName(name) || value === undefined) return []
      const reason = `The container ${service} has it.`
      const stuck = /\$/.test(value) ? 'A container computes its value when it starts.' : undefined
      return [givenVariable(file, { name, value, stage, start, end, reason, stuck, form: 'container' })]
    }),
  )
}

/**
 * The text with these variables filled in from the environment that the containers are started in; without a value the
 * start fails, and says how it goes. The rest is as it was.
 */
export function withExpansions(path: string, text: string, names: ReadonlySet<string>): string {
  const edited = new MagicString(text)
  const stage = stageIn(path)
  // The usual names need not be said.
  const file = /^(?:docker-)?compose\.ya?ml$/.test(path) ? '' : ` -f ${path}`
  const start = `mappa with${stage === undefined ? '' : ` ${stage}`} -- docker compose${file} up`
  for (const { variables } of environmentsOf(text))
    for (const { name, value, listed, valueStart, end } of variables) {
      if (!names.has(name) || value === undefined) continue
      const filled = `\${${name}:?start with: ${start}}`
      edited.overwrite(valueStart, end, `"${listed ? `${name}=` : ''}${filled}"`)
    }
  return edited.toString()
}

function stageIn(path: string): string | undefined {
  return ownStage(path.split(/[/.]/).at(-2))
}

interface Variable {
  readonly name: string
  /** Undefined where only the name is given, and the value comes from elsewhere. */
  readonly value: string | undefined
  /** True if it is one of a list of `NAME=value`, whose items are replaced as a whole. */
  readonly listed: boolean
  readonly start: number
  /** Start of the text to replace. */
  readonly valueStart: number
  readonly end: number
}

interface Environment {
  readonly service: string
  readonly variables: readonly Variable[]
}

function environmentsOf(text: string): Environment[] {
  const document = parseDocument(text, { keepSourceTokens: true })
  const services = document.errors.length === 0 ? document.get('services') : undefined
  if (!isMap(services)) return []
  return services.items.flatMap(({ key, value: service }) => {
    const pair = isMap(service) ? service.items.find((each) => pairKey(each) === 'environment') : undefined
    const environment = pair?.value
    if (!(isMap(environment) || isSeq(environment))) return []
    const variables = environment.items.flatMap((item) => variableIn(item) ?? [])
    return [{ service: String((key as Scalar).value), variables }]
  })
}

function variableIn(item: unknown): Variable | undefined {
  if (isPair(item)) {
    const { key, value } = item
    if (!isScalar(key) || !(value === null || isScalar(value))) return undefined
    const text = value === null || value.value === null ? undefined : scalarText(value)
    const { start, end } = scalarRange(key)
    const range = value === null ? { start: end, end } : scalarRange(value)
    return { name: String(key.value), value: text, listed: false, start, valueStart: range.start, end: range.end }
  }
  if (!isScalar(item)) return undefined
  const [, name, value] = /^([A-Za-z_][A-Za-z0-9_]*)(?:=(.*))?$/s.exec(String(item.value)) ?? []
  const range = scalarRange(item)
  return name === undefined ? undefined : { name, value, listed: true, valueStart: range.start, ...range }
}

/** A number or a switch counts as it is written: 0123 is no 83, and yes no true. */
function scalarText({ value, source }: Scalar): string {
  return typeof value === 'string' ? value : (source ?? String(value))
}

function pairKey(pair: unknown): unknown {
  return isPair(pair) && isScalar(pair.key) ? pair.key.value : undefined
}

function scalarRange({ range }: Scalar): { readonly start: number; readonly end: number } {
  const [start, end] = range as [number, number, number]
  return { start, end }
}
