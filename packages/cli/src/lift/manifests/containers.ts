import { isMap, isPair, isScalar, isSeq, type Pair, parseDocument, type Scalar, type YAMLMap, type YAMLSeq } from 'yaml'
import { isHostName } from '../../names/host-names.js'
import type { Finding } from '../finding.js'
import { givenVariable } from '../guess/variables.js'
import type { SourceFile } from '../read/parse.js'
import { ownStage } from '../read/stage-tests.js'

/** Whether a file says which containers run together. */
export function isContainerFile(path: string): boolean {
  return /(?:^|\/)(?:[a-z]+-)?compose(?:\.[a-z-]+)*\.ya?ml$/.test(path)
}

/** The values in `environment:` of each service, as a map or as a list of `NAME=value`. */
export function containersIn(file: SourceFile): Finding[] {
  const stage = ownStage(file.path.split(/[/.]/).at(-2))
  return environmentsOf(file.text).flatMap(({ service, variables }) =>
    variables.flatMap(({ name, value, start, end }) => {
      if (isHostName(name) || value === undefined) return []
      const reason = `The container ${service} gets it; from a layer, every start will.`
      const stuck = /\$/.test(value) ? 'A container gets a value that is only worked out when it starts.' : undefined
      return [givenVariable(file, { name, value, stage, start, end, reason, stuck, form: 'container' })]
    }),
  )
}

/** The text with these variables taken out, and the layer files named that they are in; the rest is as it was. */
export function withLayers(text: string, names: ReadonlySet<string>, layers: readonly string[]): string {
  let after = text
  // From the end, so that what stands before stays where it is.
  for (const { environment, pair, variables } of environmentsOf(text).reverse()) {
    const moved = variables.filter(({ name, value }) => names.has(name) && value !== undefined)
    if (moved.length === 0) continue
    const [from] = lineAt(text, scalarRange(pair.key as Scalar).start)
    const indent = /^[ \t]*/.exec(text.slice(from))?.[0] ?? ''
    const lineEnd = text.includes('\r\n') ? '\r\n' : '\n'
    const line = `${indent}env_file: [${layers.join(', ')}]${lineEnd}`
    if (moved.length === environment.items.length) {
      const [, to] = lineAt(text, lastOf(environment))
      after = after.slice(0, from) + line + after.slice(to)
      continue
    }
    for (const { start, end } of moved.reverse()) {
      const [first] = lineAt(text, start)
      const [, last] = lineAt(text, end)
      after = after.slice(0, first) + after.slice(last)
    }
    after = after.slice(0, from) + line + after.slice(from)
  }
  return after
}

interface Variable {
  readonly name: string
  /** Undefined where only the name is given, and the value comes from elsewhere. */
  readonly value: string | undefined
  readonly start: number
  readonly end: number
}

interface Environment {
  readonly service: string
  readonly environment: YAMLMap | YAMLSeq
  readonly pair: Pair
  readonly variables: readonly Variable[]
}

function environmentsOf(text: string): Environment[] {
  const document = parseDocument(text, { keepSourceTokens: true })
  const services = document.errors.length === 0 ? document.get('services') : undefined
  if (!isMap(services)) return []
  return services.items.flatMap(({ key, value: service }) => {
    // One that has layer files already, or is written in one line, is left to its owner.
    const pair =
      isMap(service) && !service.has('env_file')
        ? service.items.find((each) => pairKey(each) === 'environment')
        : undefined
    const environment = pair?.value
    if (!pair || !(isMap(environment) || isSeq(environment)) || environment.flow) return []
    const variables = environment.items.flatMap((item) => variableIn(item) ?? [])
    return [{ service: String((key as Scalar).value), environment, pair, variables }]
  })
}

function variableIn(item: unknown): Variable | undefined {
  if (isPair(item)) {
    const { key, value } = item
    if (!isScalar(key) || !(value === null || isScalar(value))) return undefined
    const text = value === null || value.value === null ? undefined : scalarText(value)
    const { start } = scalarRange(key)
    return {
      name: String(key.value),
      value: text,
      start,
      end: value === null ? scalarRange(key).end : scalarRange(value).end,
    }
  }
  if (!isScalar(item)) return undefined
  const [, name, value] = /^([A-Za-z_][A-Za-z0-9_]*)(?:=(.*))?$/s.exec(String(item.value)) ?? []
  return name === undefined ? undefined : { name, value, ...scalarRange(item) }
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

function lastOf({ items }: YAMLMap | YAMLSeq): number {
  const last = items.at(-1)
  const node = isPair(last) ? (last.value ?? last.key) : last
  return scalarRange(node as Scalar).end
}

/** The whole lines round an offset: where its own starts, and where the next one does. */
function lineAt(text: string, at: number): [start: number, next: number] {
  const end = text.indexOf('\n', text[at - 1] === '\n' ? at - 1 : at)
  return [text.lastIndexOf('\n', at - 1) + 1, end < 0 ? text.length : end + 1]
}
