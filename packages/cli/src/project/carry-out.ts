import { join } from 'node:path'
import type { Survey } from 'mappa'
import { counted } from '../declared/counted.js'
import type { Plan } from '../edits/plan.js'
import { confirmWrite } from '../terminal/ask.js'
import { diffText } from '../terminal/diff.js'
import { jsonReport } from '../terminal/json-report.js'
import { paragraph } from '../terminal/paragraph.js'
import { isAsked, jsonText, output, talk } from '../terminal/terminal.js'
import { exitCodes } from '../terminal/usage-error.js'
import { WriteError, type WriteOptions, writeFiles } from '../writing/write.js'
import { tellReadable, tellRecovered } from './made-file.js'

/** Options of a change. */
export interface CarryOptions {
  /** True if it is made without asking. */
  readonly apply?: boolean
  readonly json?: boolean
}

/** A change, and how to show it. */
export interface Carried extends Plan {
  readonly root: string
  /** Masks the secrets in lines around a change. */
  readonly found: Survey
  /** Further texts that must not be shown. */
  readonly hidden?: readonly string[]
  /** Files that the change was made from, as they were read. */
  readonly madeFrom?: WriteOptions['madeFrom'] | undefined
  /** The command line that makes it, for anyone who has no terminal to be asked at. */
  readonly command: string
}

/**
 * Whether what was shown is to be written: with `--apply`, or where a person says so, under a summary by file. Without a terminal
 * it says how to write it.
 */
export async function confirmed(
  changes: readonly { readonly path: string; readonly before: string | null; readonly after?: string | null }[],
  command: string,
  { apply = false }: CarryOptions,
): Promise<boolean> {
  if (apply) return true
  const terminal = output()
  if (!isAsked()) {
    terminal.write(`Nothing was written.\n  → Run: ${command} --apply\n`)
    return false
  }
  const kinds = ['edited', 'new', 'removed'] as const
  const kindOf = (each: (typeof changes)[number]) =>
    each.after === null ? 'removed' : each.before === null ? 'new' : 'edited'
  for (const kind of kinds) {
    const paths = changes.filter((each) => kindOf(each) === kind).map(({ path }) => path)
    if (paths.length > 0) terminal.write(`${paragraph(`${kind}: ${paths.join(', ')}`, terminal.width)}\n`)
  }
  return confirmWrite(`Write ${counted(changes.length, 'file')}?`)
}

/** Shows a change, asks where a person is there, and makes it: all files or none. */
export async function carryOut(carried: Carried, options: CarryOptions): Promise<{ exitCode: number }> {
  const { changes, mentions, root, found, hidden = [], command } = carried
  const terminal = output()
  const say = (text: string) => terminal.write(`${paragraph(text, terminal.width)}\n`)
  const write = () =>
    writeFiles(
      changes.map(({ path, before, after, secret }) => ({ path: join(root, path), text: after, before, secret })),
      root,
      { madeFrom: carried.madeFrom ?? [], onRecovered: tellRecovered, onReadable: tellReadable },
    )
  try {
    if (options.json) {
      if (options.apply) await write()
      const files = changes.map(({ path, before }) => ({ path, change: before === null ? 'new' : 'edited' }))
      terminal.write(jsonText(jsonReport({}, { files, mentions, written: options.apply === true })))
      return { exitCode: exitCodes.fine }
    }
    const shown = changes
      .filter(({ path }) => !path.startsWith('mappa.types.d.ts'))
      .map(({ path, before, after }) => ({
        path,
        before: before === null ? null : found.mask(before),
        after: found.mask(after),
      }))
    terminal.write(`${diffText(shown, hidden, terminal).trimEnd()}\n\n`)
    if (mentions.length > 0)
      say(`Not changed, but mentioned in: ${mentions.slice(0, 20).join(', ')}${mentions.length > 20 ? ', …' : ''}.`)
    if (!(await confirmed(changes, command, options))) return { exitCode: exitCodes.fine }
    await write()
    say(`Wrote ${counted(changes.length, 'file')}: ${changes.map(({ path }) => path).join(', ')}.`)
    return { exitCode: exitCodes.fine }
  } catch (error) {
    if (!(error instanceof WriteError)) throw error
    talk().write(`${error.message}\n`)
    return { exitCode: exitCodes.faults }
  }
}
