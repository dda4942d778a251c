import { isMap, isPair, isScalar, isSeq, parseDocument, type Scalar } from 'yaml'

/** Tells whether a file says which containers run together. */
export function isContainerFile(path: string): boolean {
  return /(?:^|\/)(?:[a-z]+-)?compose(?:\.[a-z-]+)*\.ya?ml$/.test(path)
}

/** A variable that a container is given. */
export interface ContainerVariable {
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

/** The variables of one service. */
export interface ContainerEnvironment {
  readonly service: string
  /** Ports that others may connect to, as they are written. */
  readonly ports: readonly string[]
  readonly variables: readonly ContainerVariable[]
}

/** The environments of a file's services, as maps or as lists of `NAME=value`; nothing of one that is not YAML. */
export function environmentsOf(text: string): ContainerEnvironment[] {
  const document = parseDocument(text, { keepSourceTokens: true })
  const services = document.errors.length === 0 ? document.get('services') : undefined
  if (!isMap(services)) return []
  return services.items.flatMap(({ key, value: service }) => {
    const environment = memberOf(service, 'environment')
    if (!(isMap(environment) || isSeq(environment))) return []
    const variables = environment.items.flatMap((item) => variableIn(item) ?? [])
    return [{ service: String((key as Scalar).value), ports: portsIn(memberOf(service, 'ports')), variables }]
  })
}

function memberOf(map: unknown, name: string): unknown {
  return isMap(map) ? map.items.find((each) => pairKey(each) === name)?.value : undefined
}

/** Each as in the short form, `127.0.0.1:5432:5432`, also one that is written in the long form. */
function portsIn(ports: unknown): string[] {
  if (!isSeq(ports)) return []
  return ports.items.map((item) => {
    if (isScalar(item)) return scalarText(item)
    const [address, target] = [memberOf(item, 'host_ip'), memberOf(item, 'target')]
    return [address, target].map((each) => (isScalar(each) ? scalarText(each) : '')).join(':')
  })
}

function variableIn(item: unknown): ContainerVariable | undefined {
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
