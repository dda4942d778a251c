import { originOf } from '../settle/changes.js'
import type { Stage } from '../settle/stack/stage.js'
import type { Survey } from '../settle/survey.js'
import { counted } from './report-text.js'

/** The origins of settings, with secrets masked. */
export interface Origins {
  readonly stage: Stage
  readonly root: string
  readonly settledAt: Date
  /** The layers that give values, lowest first, and how many each gives. */
  readonly layers: readonly { readonly name: string; readonly count: number }[]
  readonly variables: readonly {
    readonly name: string
    /** The text as it may be shown; null without a value. */
    readonly shown: string | null
    /** The layer, with line and column where it has such; null without a value. */
    readonly from: string | null
  }[]
}

export function originsIn(found: Survey, root: string, settledAt: Date): Origins {
  const trails = [...found.trails.values()]
  const counts = new Map<string, number>()
  for (const { winner } of trails) if (winner) counts.set(winner.layer, (counts.get(winner.layer) ?? 0) + 1)
  const names = ['the legend', ...found.layers.map(({ name }) => name)]
  return {
    stage: found.stage,
    root,
    settledAt,
    layers: [...new Set(names)].flatMap((name) => {
      const count = counts.get(name)
      return count === undefined ? [] : [{ name, count }]
    }),
    variables: trails.map(({ name, winner }) => ({
      name,
      shown: winner?.shown ?? null,
      from: winner ? originOf(winner) : null,
    })),
  }
}

/** Longer values would push their layers off the screen. Characters. */
const originShownMax = 48

/** The same as text, a line a variable. */
export function originsText({ stage, root, settledAt, layers, variables }: Origins): string {
  const from = stage.from === undefined ? '' : ` (from ${stage.from})`
  const without = variables.filter((each) => each.from === null).length
  const counts = [
    ...layers.map(({ name, count }) => `${count} from ${name}`),
    ...(without > 0 ? [`${without} without a value`] : []),
  ]
  const rows = variables.map(({ name, shown, from }) => [
    name,
    from === null ? '' : cutTo(shown ?? ''),
    from ?? 'no value',
  ])
  const [first = 0, second = 0] = [0, 1].map((at) =>
    rows.reduce((most, row) => Math.max(most, row[at]?.length ?? 0), 0),
  )
  return [
    `Stage ${stage.name}${from}, root ${root}, settled ${settledAt.toISOString()}`,
    ...(counts.length > 0 ? [`${counted(variables.length, 'variable')}: ${counts.join(', ')}`] : ['No variables']),
    ...rows.map(([name = '', shown = '', from = '']) => `  ${name.padEnd(first)}  ${shown.padEnd(second)}  ${from}`),
    '',
  ].join('\n')
}

function cutTo(text: string): string {
  if (text === '') return '(empty)'
  return text.length > originShownMax ? `${text.slice(0, originShownMax - 1)}…` : text
}
