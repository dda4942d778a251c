import type { FaultKind, Survey } from 'mappa'

/** A stage's value of a variable. */
export interface Cell {
  readonly stage: string
  /** `missing` is a fault; `unset` may be; `not-asked` is what a source might give that was not asked. */
  readonly state: 'set' | 'default' | 'missing' | 'unset' | 'not-asked'
  /** The text as it may be shown; null if there is none. */
  readonly shown: string | null
  /** The layer that gives it. */
  readonly layer: string | null
  /** The kind of its fault, if any. */
  readonly fault: FaultKind | null
  /** Stages to the left that have the same secret. */
  readonly sameSecretAs: readonly string[]
}

/** A variable in all compared stages. */
export interface Row {
  readonly name: string
  readonly declared: boolean
  readonly secret: boolean
  /** True if the stages have different texts, or one lacks what another has. */
  readonly differs: boolean
  readonly cells: readonly Cell[]
}

/** Every variable that the legend declares or a layer sets, in each of these stages, or in each of several `labels`. */
export function compareStages(
  surveys: readonly Survey[],
  isSecret: (name: string) => boolean,
  labels?: readonly string[],
): Row[] {
  const names = new Set(surveys.flatMap(({ trails }) => [...trails.keys()]))
  return [...names].map((name) => {
    const declared = surveys.some((found) => found.trail(name).declared)
    // An undeclared value is masked, too, but nothing says that it must differ.
    const secret = declared && isSecret(name)
    const texts = surveys.map((found) => found.texts.get(name))
    const cells = surveys.map((found, at) => {
      const same = secret && texts[at] ? surveys.slice(0, at).filter((_, other) => texts[other] === texts[at]) : []
      return cellOf(
        name,
        found,
        same.map(({ stage }) => stage.name),
        labels?.[at],
      )
    })
    const states = new Set(cells.map(({ state, fault }) => `${state === 'default' ? 'set' : state} ${fault ?? ''}`))
    return { name, declared, secret, differs: states.size > 1 || new Set(texts).size > 1, cells }
  })
}

function cellOf(name: string, found: Survey, sameSecretAs: readonly string[], label?: string): Cell {
  const { winner } = found.trail(name)
  const fault = found.faults.find((each) => each.name === name)
  const isMissing = fault?.kind === 'missing'
  const unset = found.notAsked.length > 0 ? 'not-asked' : 'unset'
  return {
    stage: label ?? found.stage.name,
    state: winner ? (winner.source === 'default' ? 'default' : 'set') : isMissing ? 'missing' : unset,
    shown: winner?.shown ?? null,
    layer: winner?.layer ?? null,
    fault: isMissing ? null : (fault?.kind ?? null),
    sameSecretAs,
  }
}

/** Tells whether a row is worth a look: the stages differ, one has a fault, or two have one secret. */
export function stands({ differs, cells }: Row): boolean {
  return (
    differs || cells.some(({ fault, state, sameSecretAs }) => fault || state === 'missing' || sameSecretAs.length > 0)
  )
}

/** Stages with faults that no cell shows: a line that cannot be understood, a source that gives nothing. */
export function stagesWithOthers(surveys: readonly Survey[], rows: readonly Row[]): string[] {
  const shown = new Set(rows.map(({ name }) => name))
  return surveys
    .filter(({ faults }) => faults.some(({ name }) => name === undefined || !shown.has(name)))
    .map(({ stage }) => stage.name)
}
