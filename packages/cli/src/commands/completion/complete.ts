/** Words that complete a position: of a kind that the project knows, fixed words, or paths. */
export type Wanted = 'stage' | 'variable' | 'file' | 'folder' | readonly string[] | undefined

/** An option as it is typed. */
export interface KnownOption {
  readonly flag: string
  readonly about: string
  /** True if a value follows it. */
  readonly takesValue: boolean
  readonly value: Wanted
}

/** A command with its options, and what its arguments are. */
export interface KnownCommand {
  readonly name: string
  readonly about: string
  readonly options: readonly KnownOption[]
  readonly argument: Wanted
  readonly manyArguments: boolean
}

/** The project's words for completion. */
export interface Offered {
  readonly stages: readonly string[]
  readonly variables: readonly { readonly name: string; readonly about: string }[]
}

/** An answer to a shell: words that begin with what is typed, or that paths belong here. */
export type Answer =
  | { readonly kind: 'files' | 'folders' }
  | { readonly kind: 'words'; readonly words: readonly { readonly word: string; readonly about: string }[] }

/**
 * What can stand where the last word is being typed; that may be empty. Some shells give `--stage=st` as one word, and
 * some as three.
 */
export async function answerFor(
  typed: readonly string[],
  commands: readonly KnownCommand[],
  offered: () => Promise<Offered>,
): Promise<Answer> {
  const words = joined(typed)
  const before = words.slice(0, -1)
  const last = words.at(-1) ?? ''
  // Behind a lone -- another program is typed.
  if (before.includes('--')) return { kind: 'files' }
  const command = commands.find(({ name }) => name === before[0])
  if (!command) {
    if (before.length > 0) return { kind: 'words', words: [] }
    return wordsWith(
      last,
      commands.map(({ name, about }) => ({ word: name, about })),
    )
  }
  const { options } = command
  const assigned = /^(--[a-z-]+)=(.*)$/s.exec(last)
  if (assigned) {
    const [, flag = '', value = ''] = assigned
    const whole = typed.at(-1) === last
    const answer = await answerTo(options.find((each) => each.flag === flag)?.value, value, offered)
    if (answer.kind !== 'words' || !whole) return answer
    return { kind: 'words', words: answer.words.map(({ word, about }) => ({ word: `${flag}=${word}`, about })) }
  }
  const open = options.find(({ flag, takesValue }) => takesValue && flag === before.at(-1))
  if (open) return answerTo(open.value, last, offered)
  if (last.startsWith('-')) {
    const flags = options.filter(({ flag }) => !before.includes(flag) || flag === '--set')
    const rest = command.name === 'with' ? [{ word: '--', about: 'the command to run' }] : []
    return wordsWith(last, [...flags.map(({ flag, about }) => ({ word: flag, about })), ...rest])
  }
  const given = before.slice(1).filter((word, at, all) => {
    const behind = options.find(({ flag }) => flag === all[at - 1])
    return !word.startsWith('-') && !behind?.takesValue
  })
  if (given.length > 0 && !command.manyArguments) return { kind: 'words', words: [] }
  const answer = await answerTo(command.argument, last, offered)
  return answer.kind === 'words'
    ? { kind: 'words', words: answer.words.filter(({ word }) => !given.includes(word)) }
    : answer
}

/** The root that is named on the line, behind a blank or an equals sign. */
export function rootIn(typed: readonly string[]): string | undefined {
  const words = joined(typed)
  const assigned = words.find((word) => word.startsWith('--root='))?.slice('--root='.length)
  const at = words.indexOf('--root')
  return assigned || (at < 0 ? undefined : words[at + 1]) || undefined
}

/** With what stands round an equals sign as one word. */
function joined(typed: readonly string[]): string[] {
  const words: string[] = []
  for (const word of typed) {
    const before = words.at(-1)
    if (before?.startsWith('--') && (word === '=' || before.endsWith('='))) words[words.length - 1] = before + word
    else words.push(word)
  }
  return words
}

async function answerTo(wanted: Wanted, last: string, offered: () => Promise<Offered>): Promise<Answer> {
  if (wanted === 'file') return { kind: 'files' }
  if (wanted === 'folder') return { kind: 'folders' }
  if (wanted === 'stage')
    return wordsWith(
      last,
      (await offered()).stages.map((word) => ({ word, about: 'stage' })),
    )
  if (wanted === 'variable')
    return wordsWith(
      last,
      (await offered()).variables.map(({ name, about }) => ({ word: name, about })),
    )
  return wordsWith(
    last,
    (typeof wanted === 'object' ? wanted : []).map((word) => ({ word, about: '' })),
  )
}

function wordsWith(last: string, words: readonly { readonly word: string; readonly about: string }[]): Answer {
  return { kind: 'words', words: words.filter(({ word }) => word.startsWith(last)) }
}
