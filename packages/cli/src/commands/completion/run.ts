import { join } from 'node:path'
import { isName, isStageName, layerFromText, printable, stagesOf } from 'mappa'
import { isKeyLine, namesIn, textAt } from 'mappa/command'
import { findRoot } from 'mappa/node'
import { output } from '../../terminal/terminal.js'
import { exitCodes } from '../../terminal/usage-error.js'
import { answerFor, type KnownCommand, type Offered, rootIn } from './complete.js'
import { type Shell, scriptFor } from './shells.js'

/** `mappa completion SHELL`: the shell's script; with words after `--`, the possible completions. */
export async function completion(
  shell: Shell,
  typed: readonly string[] | undefined,
  commands: readonly KnownCommand[],
  binary: string,
): Promise<{ exitCode: number }> {
  if (!typed) {
    output().write(scriptFor(shell, [process.execPath, binary]))
    return { exitCode: exitCodes.fine }
  }
  const answer = await answerFor(typed, commands, () => offeredBy(rootIn(typed)))
  const words = answer.kind === 'words' ? answer.words : []
  const lines = words.map(({ word, about }) => `${word}\t${printable(about.replace(/\s+/g, ' '))}`)
  output().write(`${[answer.kind, ...lines].join('\n')}\n`)
  return { exitCode: exitCodes.fine }
}

/** The stages and variables of the project here. Its legend is read and not run: a key that is pressed must start nothing. */
async function offeredBy(root: string | undefined): Promise<Offered> {
  const { directory, legendFile } = findRoot({ root, environmentRoot: process.env.MAPPA_ROOT })
  const legend = legendFile === undefined ? undefined : textAt(join(directory, legendFile))
  // The parser is slow to load, and most keys need none.
  const { declaredIn } = await import('../../declared/legend-text.js')
  const declared = legend === undefined ? undefined : declaredIn(legendFile as string, legend)
  const files = namesIn(directory).filter((name) => /^\.env(?:\.[a-z][a-z0-9-]*)*$/.test(name))
  const staged = files.flatMap((name) => /^\.env\.(?!local$|example$|sample$)([a-z][a-z0-9-]*)/.exec(name)?.[1] ?? [])
  const set = files.flatMap((name) => {
    const values = layerFromText(name, textAt(join(directory, name)) ?? '')
    return [...values.names()].filter((each) => !isKeyLine(each, values.get(each), new Set()))
  })
  const abouts = new Map([...set.map((name) => [name, ''] as const), ...(declared?.variables ?? [])])
  // A legend is only read here, so it may hold what it would not be accepted with, such as a command in place of a name.
  return {
    stages: [...new Set([...stagesOf(undefined), ...(declared?.stages ?? []), ...staged])].filter(isStageName),
    variables: [...abouts].filter(([name]) => isName(name)).map(([name, about]) => ({ name, about })),
  }
}
