import { printable, type Variable } from 'mappa'
import { differences, obtainLines, sentence } from '../../declared/sentences.js'

/** The content of a guide. */
export interface Guide {
  /** `Settings of the apiary` */
  readonly title: string
  readonly groups: readonly Group[]
  /** The only stage that is shown, if it is one. */
  readonly stage: string | undefined
}

/** Variables that code sees at one place: `settings.collector`. */
export interface Group {
  /** `collector`; undefined for those that stand alone. */
  readonly name: string | undefined
  readonly variables: readonly Variable[]
}

/** One fact of a variable. */
export interface Fact {
  readonly label: string
  readonly text: string
  /** Code is shown as it is typed; a link can be followed. */
  readonly as: 'text' | 'code' | 'link'
}

/** Variables by their place in code, in the legend's order; those that stand alone come last. */
export function groupsOf(variables: readonly Variable[]): Group[] {
  const groups = new Map<string, Variable[]>()
  for (const variable of variables) {
    const name = variable.place.slice(0, -1).join('.')
    groups.set(name, [...(groups.get(name) ?? []), variable])
  }
  const alone = groups.get('')
  groups.delete('')
  const named: Group[] = [...groups].map(([name, own]) => ({ name, variables: own }))
  return alone ? [...named, { name: undefined, variables: alone }] : named
}

/** Title of the group without a name. */
export const aloneTitle = 'Other variables'

/** Limits, default, reach, what differs in stages, place in code, and where a value is obtained. */
export function factsOf(variable: Variable): Fact[] {
  const { expects, required, reach, fixed, secret, place, stages, examples, formerly, file, name } = variable
  const fallback = variable.default
  const text = (label: string, said: string): Fact => ({ label, text: printable(said), as: 'text' })
  const code = (label: string, said: string): Fact => ({ label, text: printable(said), as: 'code' })
  return [
    text('Must be', expects),
    fallback === undefined
      ? text('Default', required ? 'none (required)' : 'none (optional)')
      : code('Default', fallback || '(empty)'),
    ...stages.map(({ stage, ...own }) => text(`In ${stage}`, differences(variable, own).join(', '))),
    text('Reach', secret ? 'server, secret' : reach === 'browser' ? 'browser (everyone can see it)' : 'server'),
    ...(reach === 'browser' && fixed === 'start' ? [text('Fixed', 'at start (a page gets it when it is served)')] : []),
    ...(reach === 'server' && fixed === 'build' ? [text('Fixed', 'at build (part of the build output)')] : []),
    code('In code', `settings.${place.join('.')}`),
    ...(examples.length > 0 ? [code('For example', examples.join(', '))] : []),
    ...(formerly.length > 0 ? [code('Formerly', formerly.join(', '))] : []),
    ...(file ? [text('From a file', `${name}_FILE may name a file with its value`)] : []),
    ...obtainLines(variable).map((line): Fact => {
      const said = line.replace(/^Obtain: /, '')
      return { label: 'Obtain', text: said, as: /^https?:\/\/\S+$/.test(said) ? 'link' : 'text' }
    }),
  ]
}

/** A variable's purpose, and whether it is deprecated. */
export function aboutOf({ description, deprecated }: Variable): string {
  return [...(description ? [sentence(description)] : []), ...(deprecated ? ['Deprecated.'] : [])].join(' ')
}

/** Single words that say most: the type, whether a person has to act, and who can see it. */
export function marksOf({ type, required, secret, reach, deprecated }: Variable): string[] {
  return [
    type,
    ...(required ? ['required'] : []),
    ...(secret ? ['secret'] : []),
    ...(reach === 'browser' ? ['browser'] : []),
    ...(deprecated ? ['deprecated'] : []),
  ]
}

/** `18 variables, 9 of them required, 2 secret` */
export function summaryOf({ groups }: Guide): string {
  const all = groups.flatMap(({ variables }) => variables)
  const count = (isIt: (variable: Variable) => boolean) => all.filter(isIt).length
  const [required, secret] = [count((each) => each.required), count((each) => each.secret)]
  return `${all.length} variable${all.length === 1 ? '' : 's'}: ${required} required, ${secret} secret`
}
