import type { Fault } from '../../settle/faults/faults.js'
import type { Texts } from '../../settle/stack/stage.js'

/** A source of values that must be waited for, such as the client of a secrets service. */
export interface RemoteSource {
  /** Its name in reports. */
  readonly name: string
  /** Texts by name. It should give up when `signal` says so; what it throws is reported without its text. */
  readonly load: (options: { readonly signal: AbortSignal }) => Promise<Texts>
  /**
   * Tells the values again whenever they have changed, and what went wrong, until `signal` says that it is enough: for
   * {@link watchAsync}, which asks a source without it again now and then. It comes back from failures by itself.
   */
  readonly follow?: (options: {
    readonly signal: AbortSignal
    readonly onChange: (texts: Texts) => void
    readonly onLost: (error: unknown) => void
  }) => void
}

/** Options of asking remote sources. */
export interface RemoteOptions {
  /** Milliseconds after which an answer is not waited for any more; asked a second time, as long again. 5,000 by default. */
  readonly timeout?: number
}

/** A slow service is asked again; a start that waits longer than this looks as if it hangs. Milliseconds. */
export const timeoutUsual = 5000
/** So long after a failure it is asked again. Milliseconds. */
const pause = 200
/** As for layer files: more is not a settings. Bytes, unpacked. */
export const answerMax = 8 * 1024 * 1024

/** Says in a word or two why an answer was none, in the words of this file: what the network says may hold an address. */
export class NoAnswer extends Error {
  constructor(
    readonly why: string,
    readonly remedy: string,
    /** True if asking again could help. */
    readonly passing: boolean,
  ) {
    super(why)
  }
}

/** The same address, if it may be asked. */
export function httpAddress(text: string): string {
  if (/^https?:\/\//i.test(text) && URL.canParse(text)) return text
  throw new NoAnswer('has an invalid address', 'Write an address that begins with http:// or https://.', false)
}

/** Asks, and asks once more after a failure that may pass. */
export async function askTwice<T>(load: (signal: AbortSignal) => Promise<T>, timeout: number): Promise<T> {
  try {
    return await askOnce(load, timeout)
  } catch (error) {
    if (error instanceof NoAnswer && !error.passing) throw error
    await new Promise((resolve) => setTimeout(resolve, pause))
    return askOnce(load, timeout)
  }
}

/** Asks, and gives up after a number of milliseconds. */
export async function askOnce<T>(load: (signal: AbortSignal) => Promise<T>, timeout: number): Promise<T> {
  const stop = new AbortController()
  let timer: NodeJS.Timeout | undefined
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => {
      stop.abort()
      reject(new NoAnswer(`did not answer within ${timeout / 1000} s`, 'Try again, or set a longer timeout.', true))
    }, timeout)
  })
  try {
    // A load that ignores the signal must not be waited for.
    return await Promise.race([Promise.resolve(load(stop.signal)), late])
  } finally {
    clearTimeout(timer)
  }
}

/** Why no values came from a source; names it, and neither its address nor its token. */
export function remoteFault({ name }: { readonly name: string }, error: unknown): Fault {
  const { why, remedy } = reasonOf(error)
  return { kind: 'remote', message: `No values from ${name}: it ${why}.`, layer: name, remedy }
}

/** The same of a source that gave values before, which are kept. */
export function lostFault({ name }: { readonly name: string }, error: unknown): Fault {
  const { why, remedy } = reasonOf(error)
  const message = `No new values from ${name}: it ${why}. Its last values are kept.`
  return { kind: 'remote', message, layer: name, remedy }
}

function reasonOf(error: unknown): { readonly why: string; readonly remedy: string } {
  return error instanceof NoAnswer ? error : { why: failureOf(error), remedy: 'Correct its address, or the service.' }
}

/** A failure by its code alone; messages may hold an address, a token or a value. */
function failureOf(error: unknown): string {
  const cause = (error as { cause?: unknown })?.cause ?? error
  const { code, message } = Object(cause) as NodeJS.ErrnoException
  if (code === 'ECONNREFUSED') return 'cannot be reached (nothing listens at its address)'
  if (code === 'ENOTFOUND' || code === 'EAI_AGAIN') return 'cannot be reached (its host name is not known)'
  // Its words for what the Fetch standard calls port blocking: https://fetch.spec.whatwg.org/#port-blocking
  if (message === 'bad port') return 'cannot be reached (HTTP clients block its port)'
  if (typeof code === 'string' && /^[A-Z_]+$/.test(code)) return `cannot be reached (${code})`
  return `failed with ${error instanceof Error && /^[A-Za-z]+$/.test(error.name) ? error.name : 'an unknown error'}`
}
