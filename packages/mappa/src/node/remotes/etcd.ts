import type { IncomingMessage, RequestOptions } from 'node:http'
import { isName } from '../../format/names.js'
import { must, whatIs } from '../../legend/given.js'
import { isRecord } from '../../legend/records.js'
import type { Texts } from '../../settle/stack/stage.js'
import { answerMax, httpAddress, NoAnswer, type RemoteSource } from './asking.js'

/** The place of values in a store, and its access. */
export interface EtcdOptions {
  /** Its name in reports. */
  readonly name: string
  /** Its address, or those of its members, of which the next is asked when one does not answer: `https://store.example:2379`. */
  readonly url: string | readonly string[]
  /** Prefix of a variable's name in its key: `apiary/production/`. Other keys are ignored. */
  readonly prefix: string
  readonly user?: string | undefined
  readonly password?: string | undefined
  /** Certificates in PEM: of the authority, and this program's own with its key. */
  readonly tls?: { readonly ca?: string; readonly cert?: string; readonly key?: string }
}

/** An answer that does not begin, or go on, within so long does not come. Milliseconds. */
const answerWait = 3000
/** So long may an answer take that comes piece by piece. Milliseconds. */
const wholeWait = 60_000
/** A stream says nothing while nothing changes: after so long the store is asked whether that is so. Milliseconds. */
const silenceMax = 3000
/** After a failure it is asked again so soon, and then each time later, up to the second. Milliseconds. */
const pauseMin = 50
const pauseMax = 1000
/** The gRPC code for a rejected login. */
const unauthenticated = 16

/** Answers of the store as they should be. Numbers of 64 bits are texts, keys and values base64. */
interface RangeAnswer {
  readonly header?: { readonly revision?: unknown }
  /** Each `{ key, value, mod_revision }`. */
  readonly kvs?: unknown
}

interface WatchAnswer {
  readonly result?: {
    /** Each `{ type, kv }`, of type `DELETE` or another. */
    readonly events?: unknown
    readonly canceled?: unknown
  }
  readonly error?: unknown
}

/**
 * Values of a store of the kind of etcd, by its public HTTP interface (API v3, the gateway of its clients' port). It is read at
 * a start; {@link watchAsync} also follows it: a change comes within milliseconds, and after a lost connection, another
 * leader or a history that was compacted, everything is read again. A source that is followed does not keep the process
 * alive.
 *
 * ```ts
 * const store = etcdSource({ name: 'the fleet store', url: 'http://127.0.0.1:2379', prefix: 'apiary/production/' })
 * ```
 */
export function etcdSource(options: EtcdOptions): RemoteSource {
  must(
    isRecord(options) && options.url !== undefined && typeof options.prefix === 'string',
    `etcdSource takes { name, url, prefix }, but got ${isRecord(options) ? 'an object that lacks one of them' : whatIs(options)}.`,
  )
  const store = new Store(options)
  return {
    name: options.name,
    load: async ({ signal }) => textsFrom((await store.range(signal)).pairs),
    follow: ({ signal, onChange, onLost }) => void followStore(store, signal, onChange, onLost),
  }
}

/** Reads all, and then what changes; again from the start after whatever goes wrong. */
async function followStore(
  store: Store,
  signal: AbortSignal,
  onChange: (texts: Texts) => void,
  onLost: (error: unknown) => void,
): Promise<void> {
  const [reading, watching] = [new Pause(), new Pause()]
  while (!signal.aborted) {
    try {
      const stored = await store.range(signal, false)
      reading.end()
      tell(stored.pairs, onChange, onLost)
      const began = performance.now()
      const failure = await store.stream(stored, signal, (pairs) => tell(pairs, onChange, onLost)).catch(asFailure)
      if (signal.aborted) return
      if (failure) store.next()
      // After a time in which it was well, what counts is whether the store still answers.
      if (performance.now() - began > steadyMin) watching.end()
      else {
        // One that lets itself be read, and not followed, would be asked without a pause.
        if (watching.isOn) onLost(failure ?? new NoAnswer('ends its watch at once', 'Check the store.', true))
        await watching.pass(signal)
      }
    } catch (error) {
      if (signal.aborted) return
      onLost(error)
      store.next()
      await reading.pass(signal)
    }
  }
}

function asFailure(error: unknown): unknown {
  return error ?? new NoAnswer('failed', 'Check the store.', true)
}

/** A stream that has lasted so long was a good one. Milliseconds. */
const steadyMin = 2 * silenceMax

/** A pause that grows while the same thing fails; many come back at once after a failure that all have seen. */
class Pause {
  #time = 0

  get isOn(): boolean {
    return this.#time > 0
  }

  end(): void {
    this.#time = 0
  }

  pass(signal: AbortSignal): Promise<void> {
    this.#time = Math.min(pauseMax, Math.max(pauseMin, this.#time * 2))
    return passed(this.#time * (0.5 + Math.random() / 2), signal)
  }
}

/** A value that no environment can carry is refused, and what was there before stays. */
function tell(pairs: ReadonlyMap<string, string>, onChange: (texts: Texts) => void, onLost: (error: unknown) => void) {
  let texts: Texts
  try {
    texts = textsFrom(pairs)
  } catch (error) {
    onLost(error)
    return
  }
  onChange(texts)
}

function textsFrom(pairs: ReadonlyMap<string, string>): Texts {
  const texts: Record<string, string> = Object.create(null)
  for (const [name, base64] of pairs) {
    const value = decodedText(base64)
    if (value === undefined)
      throw new NoAnswer(`returned a value for ${name} that is not text`, 'Store it as UTF-8 text without NUL.', false)
    texts[name] = value
  }
  return texts
}

function decodedText(base64: string): string | undefined {
  try {
    const text = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(Buffer.from(base64, 'base64'))
    return text.includes('\0') ? undefined : text
  } catch {
    return undefined
  }
}

/** The content of a store: values in base64 by variable, and their revision. */
interface Stored {
  readonly pairs: ReadonlyMap<string, string>
  readonly revision: bigint
}

/** One store, whichever of its members is asked. */
class Store {
  readonly #urls: readonly string[]
  readonly #options: EtcdOptions
  readonly #keys: { readonly key: string; readonly range_end: string }
  readonly #prefix: Buffer
  #at = 0
  #token: string | undefined

  constructor(options: EtcdOptions) {
    this.#options = options
    this.#urls = typeof options.url === 'string' ? options.url.split(',').map((each) => each.trim()) : options.url
    this.#prefix = Buffer.from(options.prefix)
    // Of no prefix, all keys: from the first that there can be.
    const first = this.#prefix.length > 0 ? this.#prefix : Buffer.from([0])
    this.#keys = { key: base64(first), range_end: base64(endOf(this.#prefix)) }
  }

  /** The next member is asked from now on. */
  next(): void {
    this.#at++
  }

  /** Everything below the prefix. */
  async range(signal: AbortSignal, keepsAlive = true): Promise<Stored> {
    for (let tries = 1; ; tries++)
      try {
        const answer = await this.#open('kv/range', this.#keys, signal, keepsAlive)
        const { header, kvs = [] } = saidIn(await wholeText(answer, signal)) as RangeAnswer
        if (!Array.isArray(kvs)) throw otherThanStore()
        const pairs = new Map<string, string>()
        for (const pair of kvs) {
          const { key, value } = pairFrom(pair)
          const name = this.#nameOf(key)
          if (name !== undefined) pairs.set(name, value)
        }
        return { pairs, revision: revisionFrom(header?.revision) }
      } catch (error) {
        // A start asks each member; who follows comes back here anyway.
        if (!keepsAlive || tries >= this.#urls.length || signal.aborted) throw error
        this.next()
      }
  }

  /** Tells what becomes of what a store held; ends by an error, when it is enough, or when the stream has missed something. */
  async stream(
    stored: Stored,
    signal: AbortSignal,
    onChange: (pairs: ReadonlyMap<string, string>) => void,
  ): Promise<void> {
    const pairs = new Map(stored.pairs)
    let seen = stored.revision
    const stop = new AbortController()
    const end = () => stop.abort()
    signal.addEventListener('abort', end, { once: true })
    // A network that swallows everything says nothing, as a store does in which nothing changes.
    const beat = setTimeout(async () => {
      try {
        const now = await this.range(stop.signal, false)
        if (stop.signal.aborted) return
        if (now.revision <= seen || holdsSame(now.pairs, pairs)) {
          beat.refresh()
          return
        }
        stop.abort()
        onChange(now.pairs)
      } catch {
        stop.abort()
      }
    }, silenceMax)
    beat.unref()
    try {
      const request = { create_request: { ...this.#keys, start_revision: String(seen + 1n) } }
      const answer = await this.#open('watch', request, stop.signal, false)
      for await (const line of streamLines(answer, () => beat.refresh())) {
        const { result, error } = JSON.parse(line) as WatchAnswer
        if (error !== undefined) throw storeRefusal(200, refusalFrom(error))
        // Its history before some revision is gone: all is read again.
        if (result?.canceled) return
        const events = result?.events ?? []
        if (!Array.isArray(events)) throw otherThanStore()
        for (const event of events) {
          const { key, value, revision } = pairFrom(Object(event).kv)
          const name = this.#nameOf(key)
          if (name === undefined) continue
          if (Object(event).type === 'DELETE') pairs.delete(name)
          else pairs.set(name, value)
          seen = revision ?? seen
        }
        if (events.length > 0) onChange(pairs)
      }
    } finally {
      clearTimeout(beat)
      signal.removeEventListener('abort', end)
      stop.abort()
    }
  }

  #nameOf(key: string): string | undefined {
    const bytes = Buffer.from(key, 'base64')
    const name = bytes.subarray(this.#prefix.length).toString('latin1')
    return isName(name) ? name : undefined
  }

  /** An answer that is not one is asked for once more with a new token, if it was the token's fault. */
  async #open(path: string, body: object, signal: AbortSignal, keepsAlive: boolean): Promise<IncomingMessage> {
    const { user, password } = this.#options
    if (user !== undefined) this.#token ??= await this.#authenticate(signal, keepsAlive)
    const answer = await this.#post(path, body, signal, keepsAlive)
    if (answer.statusCode === 200) return answer
    const error = refusalFrom(saidIn(await wholeText(answer, signal)))
    const isTokens = error.code === unauthenticated || /invalid auth token/.test(error.message ?? '')
    if (!isTokens || user === undefined || password === undefined) throw storeRefusal(answer.statusCode ?? 0, error)
    this.#token = await this.#authenticate(signal, keepsAlive)
    const again = await this.#post(path, body, signal, keepsAlive)
    if (again.statusCode === 200) return again
    throw storeRefusal(again.statusCode ?? 0, refusalFrom(saidIn(await wholeText(again, signal))))
  }

  async #authenticate(signal: AbortSignal, keepsAlive: boolean): Promise<string> {
    const { user: name, password } = this.#options
    const answer = await this.#post('auth/authenticate', { name, password }, signal, keepsAlive, false)
    const said = saidIn(await wholeText(answer, signal)) as { readonly token?: unknown }
    if (answer.statusCode !== 200) throw storeRefusal(answer.statusCode ?? 0, refusalFrom(said))
    const { token } = said
    if (typeof token !== 'string' || token.length > tokenMax) throw otherThanStore()
    return token
  }

  #post(
    path: string,
    body: object,
    signal: AbortSignal,
    keepsAlive: boolean,
    withToken = true,
  ): Promise<IncomingMessage> {
    const base = this.#urls[this.#at % this.#urls.length] ?? ''
    const isSecret = this.#options.user !== undefined
    const url = new URL(`v3/${path}`, httpAddress(base.endsWith('/') ? base : `${base}/`, isSecret))
    const text = JSON.stringify(body)
    const options: RequestOptions = {
      method: 'POST',
      signal,
      agent: false,
      timeout: answerWait,
      headers: {
        'content-type': 'application/json',
        'content-length': Buffer.byteLength(text),
        // Without a leader a watch would go on in silence.
        'grpc-metadata-hasleader': 'true',
        ...(withToken && this.#token !== undefined && { authorization: this.#token }),
      },
      ...(url.protocol === 'https:' && this.#options.tls),
    }
    const { request } = process.getBuiltinModule(url.protocol === 'https:' ? 'node:https' : 'node:http')
    return new Promise((resolve, reject) => {
      const asked = request(url, options, (answer) => {
        asked.setTimeout(0)
        resolve(answer)
      })
      asked.on('timeout', () =>
        asked.destroy(new NoAnswer(`did not answer within ${answerWait / 1000} s`, 'Try again.', true)),
      )
      asked.on('error', reject)
      asked.on('socket', (socket) => {
        socket.setKeepAlive(true, pauseMax)
        if (!keepsAlive) socket.unref()
      })
      asked.end(text)
    })
  }
}

/** A token of the store is a few hundred characters. */
const tokenMax = 16_384
/** The gRPC codes for an answer that is larger than its gateway passes on. */
const sizeCodes: ReadonlySet<unknown> = new Set([8, 11])

interface Refusal {
  readonly code: number | undefined
  readonly message: string
}

function refusalFrom(said: unknown): Refusal {
  const { code, message } = Object(said) as { readonly code?: unknown; readonly message?: unknown }
  return { code: typeof code === 'number' ? code : undefined, message: typeof message === 'string' ? message : '' }
}

/** A pair that the store gives, checked: what comes over a network may be anything. */
function pairFrom(pair: unknown): {
  readonly key: string
  readonly value: string
  readonly revision: bigint | undefined
} {
  const { key, value = '', mod_revision: revision } = Object(pair) as Readonly<Record<string, unknown>>
  if (typeof key !== 'string' || typeof value !== 'string') throw otherThanStore()
  return { key, value, revision: revision === undefined ? undefined : revisionFrom(revision) }
}

/** A revision, a number of 64 bits. Millions of digits would take minutes to read. */
function revisionFrom(given: unknown): bigint {
  if ((typeof given !== 'string' && typeof given !== 'number') || !/^\d{1,19}$/.test(String(given)))
    throw otherThanStore()
  return BigInt(given)
}

function storeRefusal(status: number, { code, message }: Refusal): NoAnswer {
  if (/authentication is not enabled/.test(message))
    return new NoAnswer(
      'asks nobody who they are (its authentication is off)',
      'Remove the user and password here, or enable authentication there.',
      false,
    )
  if (/HTTP request to an HTTPS server/i.test(message))
    return new NoAnswer('speaks only https', 'Write an address that begins with https://.', false)
  if (sizeCodes.has(code) && /larger than max|too large/.test(message))
    return new NoAnswer('has more values than its gateway passes on at once', 'Use a longer prefix.', false)
  const isNameless = code === unauthenticated || /auth|permission|user name/i.test(message)
  if (status === 401 || status === 403 || isNameless)
    return new NoAnswer(`rejected the user or password (status ${status})`, 'Correct its user and password.', false)
  return new NoAnswer(
    `answered with status ${status}`,
    'Correct its address, or check the store.',
    status >= 500 || status === 429,
  )
}

function otherThanStore(): NoAnswer {
  return new NoAnswer('did not answer as etcd does', "Write the address of the store's client port.", false)
}

/** The object in an answer; in whatever something else than a store says, such as a proxy in front of it, its first words. */
function saidIn(text: string): object {
  try {
    return Object(JSON.parse(text))
  } catch {
    return { message: text.slice(0, 200) }
  }
}

async function wholeText(answer: IncomingMessage, signal: AbortSignal): Promise<string> {
  const pieces: Buffer[] = []
  let length = 0
  // One that begins and does not end would be waited for as long.
  const stop = () => answer.destroy(new NoAnswer('stopped in the middle of its answer', 'Try again.', true))
  const stillness = setTimeout(stop, answerWait)
  const whole = setTimeout(stop, wholeWait)
  try {
    for await (const piece of answer) {
      stillness.refresh()
      length += (piece as Buffer).length
      if (length > answerMax) throw new NoAnswer('returned more than 8 MiB', 'Correct its address or prefix.', false)
      pieces.push(piece as Buffer)
    }
  } finally {
    clearTimeout(stillness)
    clearTimeout(whole)
  }
  signal.throwIfAborted()
  return Buffer.concat(pieces).toString('utf8')
}

/** A stream's objects, one a line. */
async function* streamLines(answer: IncomingMessage, onPiece: () => void): AsyncGenerator<string> {
  let rest = ''
  answer.setEncoding('utf8')
  for await (const piece of answer as AsyncIterable<string>) {
    onPiece()
    const end = piece.lastIndexOf('\n')
    const lines = end < 0 ? [] : (rest + piece.slice(0, end)).split('\n')
    rest = end < 0 ? rest + piece : piece.slice(end + 1)
    if (rest.length > answerMax) throw new NoAnswer('returned more than 8 MiB at once', 'Correct its prefix.', false)
    for (const line of lines) if (line.trim() !== '') yield line
  }
}

function holdsSame(a: ReadonlyMap<string, string>, b: ReadonlyMap<string, string>): boolean {
  return a.size === b.size && [...a].every(([name, value]) => b.get(name) === value)
}

function base64(bytes: Uint8Array): string {
  return Buffer.from(bytes).toString('base64')
}

/** The first key behind all that begin so; of no beginning, and of one of the last bytes alone, a NUL: to the end. */
function endOf(prefix: Uint8Array): Uint8Array {
  const end = Buffer.from(prefix)
  for (let at = end.length - 1; at >= 0; at--) {
    const byte = end[at] as number
    if (byte < 0xff) {
      end[at] = byte + 1
      return end.subarray(0, at + 1)
    }
  }
  return Buffer.from([0])
}

function passed(time: number, signal: AbortSignal): Promise<void> {
  return new Promise((resolve) => {
    const end = () => {
      clearTimeout(timer)
      signal.removeEventListener('abort', end)
      resolve()
    }
    const timer = setTimeout(end, time)
    timer.unref()
    signal.addEventListener('abort', end, { once: true })
  })
}
