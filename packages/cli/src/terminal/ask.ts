/** A person left a question: nothing has been agreed to. */
export class Left extends Error {
  override readonly name = 'Left'
}

export interface Offer<Value> {
  readonly name: string
  readonly value: Value
}

/** Options of a question. */
interface Asking {
  /** Stream that shows it; standard output by default. */
  readonly output?: NodeJS.WriteStream
}

// Prompts take long to load, and few runs ask anything.
const prompts = () => import('@clack/prompts')

/** Asks for one of a few values, the first of which is chosen unless `usual` says another. */
export async function choose<Value>(
  message: string,
  choices: readonly Offer<Value>[],
  asking: Asking & { readonly usual?: Value } = {},
): Promise<Value> {
  const { select } = await prompts()
  const first = 'usual' in asking ? choices.findIndex(({ value }) => value === asking.usual) : 0
  // A choice is identified by its index: an option's value must be a text or a number.
  const at = await answered(asking, (common) =>
    select({
      ...common,
      message,
      options: choices.map(({ name }, value) => ({ label: name, value })),
      initialValue: first,
      showInstructions: false,
    }),
  )
  return (choices[at] as Offer<Value>).value
}

/** Asks for a text. `wrong` says at once what is wrong with an answer; Enter alone gives `usual`, or an empty text. */
export async function typed(
  message: string,
  { usual = '', wrong, ...asking }: Asking & { readonly usual?: string; readonly wrong?: Wrong } = {},
): Promise<string> {
  const { text } = await prompts()
  const answer = await answered(asking, (common) =>
    text({
      ...common,
      message,
      ...(usual !== '' && { placeholder: usual, defaultValue: usual }),
      validate: (given) => wrong?.(given || usual),
    }),
  )
  return answer ?? ''
}

/** Asks for a text without showing it. */
export async function unseen(
  message: string,
  { wrong, ...asking }: Asking & { readonly wrong?: Wrong } = {},
): Promise<string> {
  const { password } = await prompts()
  const answer = await answered(asking, (common) =>
    password({ ...common, message, mask: '', clearOnError: true, validate: (given) => wrong?.(given ?? '') }),
  )
  return answer ?? ''
}

/** Asks whether to write. Enter alone writes nothing: what is to be written may have scrolled away. */
export function confirmWrite(message: string): Promise<boolean> {
  return choose(message, [
    { name: 'Write nothing', value: false },
    { name: 'Write these changes', value: true },
  ])
}

/** The fault of an answer; undefined if it is right. */
type Wrong = (text: string) => string | undefined

async function answered<Value>(
  { output = process.stdout }: Asking,
  ask: (common: {
    readonly output: NodeJS.WriteStream
    readonly signal: AbortSignal
    readonly withGuide: false
  }) => Promise<Value>,
): Promise<Exclude<Value, symbol>> {
  // A terminal that does not know its size says 0, into which nothing fits.
  output.columns ||= 80
  output.rows ||= 24
  const leaving = new AbortController()
  // The end of input leaves a question, too; the prompts know only the interrupt.
  const onData = (data: Buffer | string) => {
    if (String(data) === '\u0004') leaving.abort()
  }
  process.stdin.on('data', onData)
  try {
    const answer = await ask({ output, signal: leaving.signal, withGuide: false })
    if (typeof answer === 'symbol') throw new Left()
    return answer as Exclude<Value, symbol>
  } finally {
    process.stdin.off('data', onData)
  }
}
