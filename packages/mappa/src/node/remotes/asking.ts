import { must, whatIs } from '../../legend/given.js'
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
  /**
   * Milliseconds after which an answer is not waited for any more; asked a second time, as long again. 1 to 600,000; 5,000 by
   * default.
   */
  readonly timeout?: number
}

/** Limits of the durations that a caller may give. Milliseconds. */
export const limitsOf = { timeout: [1, 600_000], every: [100, 86_400_000] } as const

/**
 * A duration that a caller gives, or the usual one. Outside of its limits Node's timers would fire at once, or never.
 * @throws {TypeError} with its name and its limits.
 */
export function withinLimits(name: keyof typeof limitsOf, given: number | undefined, usual: number): number {
  if (given === undefined) return usual
  const [least, most] = limitsOf[name]
  must(
    typeof given === 'number' && given >= least && given <= most,
    `${name} must be ${least} to ${most} milliseconds, but is ${typeof given === 'number' ? given : whatIs(given)}.`,
  )
  return given
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

/** The same address, if it may be asked; `isSecret` if something goes along that nobody on the way may read. */
export function httpAddress(text: string, isSecret: boolean): string {
  if (!/^https?:\/\//i.test(text) || !URL.canParse(text))
    throw new NoAnswer('has an invalid address', 'Write an address that begins with http:// or https://.', false)
  const { protocol, hostname } = new URL(text)
  if (isSecret && protocol === 'http:' && !/^(?:localhost|127(?:\.\d+){3}|\[::1\])$/.test(hostname))
    throw new NoAnswer(
      'has an address without encryption, where others could read its token',
      'Write an address that begins with https://.',
      false,
    )
  return text
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
  if (error instanceof NoAnswer) return error
  const { code, message } = Object((error as { cause?: unknown })?.cause ?? error) as NodeJS.ErrnoException
  // Behind the one code for whatever goes wrong in the protocol, OpenSSL says what.
  const [, said = ''] = /SSL routines:[^:]*:([a-z0-9 ]+)/.exec(code === 'EPROTO' ? String(message) : '') ?? []
  const names = `${code} ${said.toUpperCase().replaceAll(' ', '_')}`
  const known = certificateFailures.find(([pattern]) => pattern.test(names))
  if (known) return { why: known[1], remedy: known[2] }
  return { why: failureOf(error), remedy: 'Correct its address, or the service.' }
}

/** What goes wrong with connections and certificates, by the codes of Node and OpenSSL. */
const certificateFailures: readonly (readonly [code: RegExp, why: string, remedy: string])[] = [
  [
    /ECONNRESET/,
    'cannot be reached (it closed the connection)',
    "Check the service. If it asks for a client's certificate, give one of an authority that it knows.",
  ],
  [
    /SELF_SIGNED|UNABLE_TO_(?:VERIFY_LEAF|GET_ISSUER)/,
    'has a certificate of an authority that this machine does not know',
    'Name the file with the certificate of the authority: NODE_EXTRA_CA_CERTS, or tls.ca of etcdSource.',
  ],
  [
    /ERR_TLS_CERT_ALTNAME_INVALID|HOSTNAME_MISMATCH/,
    'has a certificate for another host name',
    'Write its address with a name that the certificate has.',
  ],
  [/CERT_HAS_EXPIRED/, 'has a certificate that has expired', 'Renew its certificate.'],
  [
    /CERT_NOT_YET_VALID/,
    'has a certificate that is not valid yet',
    'Correct the clock of this machine, or the certificate.',
  ],
  [
    /CERTIFICATE_REQUIRED|ALERT_HANDSHAKE_FAILURE|ALERT_(?:BAD_CERTIFICATE|UNKNOWN_CA|CERTIFICATE_UNKNOWN)|UNKNOWN_CA/,
    "asks for a client's certificate, or rejects the one it got",
    'Give one of an authority that it knows: tls.cert and tls.key of etcdSource.',
  ],
  [
    /KEY_VALUES_MISMATCH/,
    'cannot be asked: the key of the client does not belong to its certificate',
    'Give the pair that belongs together: tls.cert and tls.key.',
  ],
  [
    /PEM_|ERR_OSSL_(?:ASN1|BAD_|UNSUPPORTED|WRONG)|BAD_END_LINE|NO_START_LINE/,
    'cannot be asked: its certificates or key are not readable PEM',
    'Give the text of PEM files: tls.ca, tls.cert and tls.key.',
  ],
  [
    /WRONG_VERSION_NUMBER|PACKET_LENGTH_TOO_LONG|HTTP_REQUEST/,
    'does not speak https at this address',
    'Write http://, or the address where it speaks https.',
  ],
]

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
