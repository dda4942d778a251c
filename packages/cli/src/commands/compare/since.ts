import type { Survey, Variable } from 'mappa'
import { originOf } from 'mappa/command'

/** A variable that is another in a stage than it was. */
export interface VariableChange {
  readonly kind: 'added' | 'removed' | 'renamed' | 'retyped' | 'revalued'
  readonly name: string
  /** The former name, terms or value, as it may be shown; null if there was none. */
  readonly before: string | null
  readonly after: string | null
  /** The place of its value now, if that has changed. */
  readonly from: string | null
}

/** A task on a stage's host before this is deployed. */
export interface HostTask {
  readonly kind: 'give' | 'look' | 'rename' | 'drop'
  readonly name: string
  readonly secret: boolean
  /** One sentence. */
  readonly message: string
}

/** The changes of a stage, and the tasks on its host. */
export interface StageChanges {
  readonly stage: string
  readonly changes: readonly VariableChange[]
  readonly tasks: readonly HostTask[]
}

/** A stage at one time: its variables, and what the layers of a clone give. */
export interface StageAt {
  readonly variables: readonly Variable[]
  readonly found: Survey
}

/** `host` are the names that the host has, if that is known: then all that it lacks is asked for, and nothing that it has. */
export function changesSince(
  stage: string,
  before: StageAt | undefined,
  now: StageAt,
  host?: ReadonlySet<string>,
): StageChanges {
  const old = new Map(before?.variables.map((each) => [each.name, each]))
  const fresh = new Map(now.variables.map((each) => [each.name, each]))
  const changes: VariableChange[] = []
  const tasks: HostTask[] = []
  const formerOf = ({ name, formerly, place }: Variable) =>
    old.has(name)
      ? undefined
      : (formerly.find((each) => old.has(each) && !fresh.has(each)) ??
        // Code sees it where it saw the old one.
        [...old.values()].find(
          (each) => !fresh.has(each.name) && each.place.join('.') === place.join('.') && place.join() !== name,
        )?.name)
  const renamed = new Set<string>()
  for (const variable of fresh.values()) {
    const { name } = variable
    const former = formerOf(variable)
    if (former !== undefined) renamed.add(former)
    const earlier = old.get(former ?? name)
    const base = { name, before: null, after: null, from: null }
    if (former !== undefined) changes.push({ ...base, kind: 'renamed', before: former, after: name })
    if (!earlier) changes.push({ ...base, kind: 'added', after: termsText(variable), from: originIn(now.found, name) })
    else {
      const terms = termsBetween(earlier, variable)
      if (terms) changes.push({ ...base, kind: 'retyped', before: terms[0], after: terms[1] })
      const [was, is] = [before?.found.texts.get(former ?? name), now.found.texts.get(name)]
      if (was !== is)
        changes.push({
          ...base,
          kind: 'revalued',
          from: originIn(now.found, name),
          before: before?.found.trail(former ?? name).winner?.shown ?? null,
          after: now.found.trail(name).winner?.shown ?? null,
        })
    }
    for (const each of tasksOf(variable, { earlier, former, before, now, host })) tasks.push(each)
  }
  for (const { name, secret } of old.values()) {
    if (fresh.has(name) || renamed.has(name)) continue
    changes.push({ kind: 'removed', name, before: null, after: null, from: null })
    const mayHave = host ? host.has(name) : before?.found.texts.get(name) === undefined
    if (mayHave) tasks.push({ kind: 'drop', name, secret, message: `${name} is no longer used.` })
  }
  return { stage, changes, tasks }
}

function tasksOf(
  variable: Variable,
  {
    earlier,
    former,
    before,
    now,
    host,
  }: {
    readonly earlier: Variable | undefined
    readonly former: string | undefined
    readonly before: StageAt | undefined
    readonly now: StageAt
    readonly host: ReadonlySet<string> | undefined
  },
): HostTask[] {
  const { name, secret, required, obtain, generate, formerly, file } = variable
  const isGiven = now.found.texts.get(name) !== undefined
  const names = [name, ...(file ? [`${name}_FILE`] : [])]
  const has = host ? names.some((each) => host.has(each)) : undefined
  const hadNeed = earlier?.required === true && before?.found.texts.get(former ?? name) === undefined
  const reads = former !== undefined && formerly.includes(former)
  const old = formerly.find((each) => host?.has(each))
  if (has !== true && (old !== undefined || (host === undefined && reads && !isGiven && hadNeed)))
    return [
      { kind: 'rename', name, secret, message: `${old ?? former} is now called ${name}. The old name still works.` },
    ]
  const isNeeded = required && !isGiven
  // The host already has its required values, unless its list says otherwise.
  if (isNeeded && (host ? !has : !hadNeed || former !== undefined)) {
    const how = obtain !== undefined ? ` Obtain: ${obtain}` : generate ? ' Use a fresh random value.' : ''
    return [
      { kind: 'give', name, secret, message: `${name}${secret ? ', as a secret' : ''}: ${variable.expects}.${how}` },
    ]
  }
  const isHosts = host ? has === true : !isGiven && hadNeed
  if (isHosts && earlier && earlier.expects !== variable.expects)
    return [
      { kind: 'look', name, secret, message: `${name} must now be ${variable.expects}; before: ${earlier.expects}.` },
    ]
  return []
}

/** The parts of an entry that matter to anyone who sets its value. */
function termsOf({ expects, secret, required, reach, default: value }: Variable): readonly string[] {
  return [
    expects,
    secret ? 'secret' : 'not secret',
    reach === 'browser' ? 'reaches the browser' : 'for servers',
    required ? 'required' : value === undefined ? 'optional' : `${value || 'empty'} by default`,
  ]
}

/** Of those terms, what is worth a word by itself. */
function termsText(variable: Variable): string {
  const usual = ['not secret', 'for servers', 'required']
  return termsOf(variable)
    .filter((term) => !usual.includes(term))
    .join(', ')
}

/** Tells how the terms of two differ; undefined if they do not. */
function termsBetween(before: Variable, after: Variable): readonly [string, string] | undefined {
  const [old, fresh] = [termsOf(before), termsOf(after)]
  const differing = old.flatMap((term, at) => (term === fresh[at] ? [] : [at]))
  const text = (terms: readonly string[]) => differing.map((at) => terms[at]).join(', ')
  return differing.length === 0 ? undefined : [text(old), text(fresh)]
}

function originIn(found: Survey, name: string): string | null {
  const { winner } = found.trail(name)
  return winner ? originOf(winner) : null
}
