import { join } from 'node:path'
import { readTextFile } from 'mappa/command'
import { type FileWrite, WriteError, writeFiles } from '../edits/write.js'
import { diffText } from '../terminal/diff.js'
import { output, talk } from '../terminal/terminal.js'
import { exitCodes } from '../terminal/usage-error.js'

/** The text of a file below the root; undefined if it is not there. */
export function textIn(root: string, path: string): string | undefined {
  const text = readTextFile(join(root, path), path)
  if (typeof text !== 'object') return text
  throw new WriteError(`${text.message} ${text.remedy}`, path)
}

/**
 * Writes a file that a command makes, showing what changes of one that is there, with texts that are `hidden` masked. `said`
 * is the last line; what goes `beside` it is written with it and not shown.
 */
export function writeMade(
  root: string,
  change: { readonly path: string; readonly before: string | undefined; readonly after: string },
  said: string,
  { hidden = [], beside = [] }: { readonly hidden?: readonly string[]; readonly beside?: readonly FileWrite[] } = {},
): { exitCode: number } {
  const { path, after } = change
  const before = change.before ?? null
  const terminal = output()
  if (before === after) {
    writeFiles(beside, root)
    terminal.write(`${path} is up to date.\n`)
    return { exitCode: exitCodes.fine }
  }
  writeFiles([{ path: join(root, path), text: after, before }, ...beside], root)
  if (before !== null) terminal.write(`${diffText([{ path, before, after }], hidden, terminal)}\n`)
  terminal.write(`${said}\n`)
  return { exitCode: exitCodes.fine }
}

/** Runs what reads and writes files; a failure becomes a sentence. */
export async function telling(action: () => Promise<{ exitCode: number }>): Promise<{ exitCode: number }> {
  try {
    return await action()
  } catch (error) {
    if (!(error instanceof WriteError)) throw error
    talk().write(`${error.message}\n`)
    return { exitCode: exitCodes.faults }
  }
}
