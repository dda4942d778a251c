import type { Survey } from 'mappa'
import { originOf } from 'mappa/command'
import type { Terminal } from '../../terminal/terminal.js'
import { widest } from '../../terminal/widest.js'

/** One variable of a stage. */
export interface ListRow {
  readonly name: string
  /** The text that counts, masked if secret; null if there is none. */
  readonly value: string | null
  /** The layer with line and column, or the default; null if nothing sets it. */
  readonly from: string | null
  readonly secret: boolean
  /** True if the legend has an entry for it. */
  readonly declared: boolean
  /** True if it must have a value, and has none. */
  readonly missing: boolean
  /** True if its value is at fault. */
  readonly faulty: boolean
}

/** A secret or shape to search for. */
export interface Listed {
  readonly isNamed: (name: string) => boolean
  /** Only those that must have a value and have none. */
  readonly missing: boolean
  /** Only secrets. */
  readonly secrets: boolean
}

/** The variables of a stage, in the legend's order, then what layers set besides. */
export function rowsOf(
  found: Survey,
  secrets: ReadonlySet<string>,
  { isNamed, missing, secrets: secretsOnly }: Listed,
): ListRow[] {
  const faulty = new Set(found.faults.flatMap(({ name }) => name ?? []))
  const lacking = new Set(found.faults.flatMap(({ name, kind }) => (kind === 'missing' ? [name] : [])))
  return [...found.trails.values()]
    .map(({ name, declared, winner }) => ({
      name,
      declared,
      secret: secrets.has(name),
      missing: lacking.has(name),
      faulty: faulty.has(name),
      value: winner?.shown ?? null,
      from: winner ? originOf(winner) : null,
    }))
    .filter(({ name, ...row }) => isNamed(name) && (!missing || row.missing) && (!secretsOnly || row.secret))
}

/** A value on one line is cut there, so that each variable has one. Columns. */
const [valueMin, between] = [12, 2]

/** A line a variable: its name, its value and where that is from. */
export function listText(rows: readonly ListRow[], { width, paint }: Pick<Terminal, 'width' | 'paint'>): string {
  const names = widest(rows.map(({ name }) => name))
  const origins = widest(rows.map(({ from }) => from ?? ''))
  const room = Math.max(width - names - origins - 2 * between, valueMin)
  const shown = rows.map(({ value, missing, declared }) =>
    shortened(value ?? (missing ? 'missing' : declared ? 'not set' : ''), room),
  )
  const values = widest(shown)
  return rows
    .map(({ name, from, missing, faulty, value }, at) => {
      const text = (shown[at] as string).padEnd(values)
      const seen = missing || faulty ? paint.fault(text) : value === null ? paint.dim(text) : text
      return `${paint.bold(name.padEnd(names))}  ${seen}  ${paint.dim(from ?? '')}`.trimEnd()
    })
    .join('\n')
}

function shortened(text: string, most: number): string {
  const line = text.replace(/\s+/g, ' ')
  return line.length > most ? `${line.slice(0, most - 1)}…` : line
}
