import { isName } from '../../format/names.js'
import { readValues } from '../../format/values.js'
import { must, whatIs } from '../../legend/given.js'
import { isRecord } from '../../legend/records.js'
import type { Fault } from '../../settle/faults/faults.js'
import { type Layer, layerFromValues } from '../../settle/stack/layer.js'
import type { Texts } from '../../settle/stack/stage.js'
import {
  answerMax,
  askTwice,
  httpAddress,
  NoAnswer,
  type RemoteOptions,
  type RemoteSource,
  remoteFault,
  timeoutUsual,
  withinLimits,
} from './asking.js'

/**
 * The layer of a remote source. It is asked twice at most; if it gives nothing, the layer is empty and has a fault that
 * names the source, and neither its address nor its token.
 */
export async function layerFromRemote(source: RemoteSource, options: RemoteOptions = {}): Promise<Layer> {
  must(typeof source?.load === 'function', `layerFromRemote takes a source, { name, load }, but got ${whatIs(source)}.`)
  const timeout = withinLimits('timeout', options.timeout, timeoutUsual)
  try {
    const values = await askTwice((signal) => source.load({ signal }), timeout)
    return layerFromValues(source.name, checkedTexts(values), { source: 'remote' })
  } catch (error) {
    return { ...layerFromValues(source.name, {}, { source: 'remote' }), faults: [remoteFault(source, error)] }
  }
}

/** The response to `GET url`, with one retry; or a fault that names the source, but neither its address nor its token. */
export async function askRemote(
  source: { readonly name: string; readonly url: string; readonly token?: string | undefined },
  options: RemoteOptions = {},
): Promise<{ readonly text: string } | { readonly fault: Fault }> {
  const timeout = withinLimits('timeout', options.timeout, timeoutUsual)
  try {
    return await askTwice((signal) => fetchText(source.url, source.token, signal), timeout)
  } catch (error) {
    return { fault: remoteFault(source, error) }
  }
}

/** Gives a host these texts, as a JSON merge patch (RFC 7396), which may be sent twice; a fault names neither address nor token. */
export async function tellRemote(
  source: { readonly name: string; readonly url: string; readonly token?: string | undefined },
  texts: Texts,
  options: RemoteOptions = {},
): Promise<Fault | undefined> {
  const timeout = withinLimits('timeout', options.timeout, timeoutUsual)
  try {
    const body = JSON.stringify(texts)
    await askTwice((signal) => fetchText(source.url, source.token, signal, body), timeout)
    return undefined
  } catch (error) {
    const { message, ...fault } = remoteFault(source, error)
    return { ...fault, message: message.replace('No values from', 'No values were sent to') }
  }
}

export async function fetchText(
  url: string,
  token: string | undefined,
  signal: AbortSignal,
  patch?: string,
): Promise<{ readonly text: string; readonly isJson: boolean }> {
  const headers = {
    accept: 'application/json, text/plain',
    ...(token && { authorization: `Bearer ${token}` }),
    ...(patch !== undefined && { 'content-type': 'application/merge-patch+json' }),
  }
  const sent = patch === undefined ? {} : { method: 'PATCH', body: patch }
  const isSecret = Boolean(token) || patch !== undefined
  const answer = await fetchSameOrigin(httpAddress(url, isSecret), { ...sent, headers, signal, credentials: 'omit' })
  const { status } = answer
  if (status === 401 || status === 403)
    throw new NoAnswer(`rejected the token (status ${status})`, 'Correct the token.', false)
  if (!answer.ok)
    throw new NoAnswer(
      `answered with status ${status}`,
      'Correct its address, or the service.',
      status >= 500 || status === 429,
    )
  // The body of a host's answer does not matter.
  if (patch !== undefined) await answer.body?.cancel()
  const text = patch === undefined ? await textWithin(answer, answerMax) : ''
  return { text, isJson: /\bjson\b/.test(answer.headers.get('content-type') ?? '') }
}

/** More redirects than these go round. */
const redirectsMax = 5

/** Follows redirects where they stay with the same origin: the token, and what the address says, are for that one alone. */
async function fetchSameOrigin(url: string, options: RequestInit): Promise<Response> {
  const { username, password, href } = new URL(url)
  // Node's fetch refuses such an address, in words that hold it.
  if (username !== '' || password !== '')
    throw new NoAnswer('has a user or a password in its address', 'Remove them, and give a token.', false)
  let at = href
  for (let count = 0; count <= redirectsMax; count++) {
    const answer = await fetch(at, { ...options, redirect: 'manual' })
    const next = [301, 302, 303, 307, 308].includes(answer.status) ? answer.headers.get('location') : null
    if (next === null) return answer
    // The others would make it another request, without what it is to say.
    if (options.method === 'PATCH' && answer.status < 307)
      throw new NoAnswer(`redirects (status ${answer.status})`, 'Write the address that it redirects to.', false)
    await answer.body?.cancel()
    const target = URL.canParse(next, at) ? new URL(next, at) : undefined
    if (target?.origin !== new URL(at).origin)
      throw new NoAnswer('redirects to another origin', 'If you trust that address, write it instead.', false)
    at = target.href
  }
  throw new NoAnswer('redirects in a loop', 'Correct its address.', false)
}

/** The text of an answer, limited while it comes, and as it is unpacked. */
async function textWithin({ body }: Response, most: number): Promise<string> {
  const decoder = new TextDecoder('utf-8', { fatal: true })
  const decoded = (value?: Uint8Array) => {
    try {
      return decoder.decode(value, { stream: value !== undefined })
    } catch {
      throw new NoAnswer('returned text that is not UTF-8', 'Correct the service.', false)
    }
  }
  let text = ''
  let length = 0
  const reader = body?.getReader()
  try {
    for (;;) {
      const { done, value } = (await reader?.read()) ?? { done: true, value: undefined }
      if (done || !value) return text + decoded()
      length += value.byteLength
      if (length > most) throw new NoAnswer('returned more than 8 MiB', 'Correct its address.', false)
      text += decoded(value)
    }
  } finally {
    // Of what has come to its end nothing is left to cancel.
    await reader?.cancel().catch(() => {})
  }
}

export function jsonAnswer(text: string): Texts {
  try {
    return JSON.parse(text)
  } catch {
    throw new NoAnswer('returned invalid JSON', 'Correct the service.', false)
  }
}

/** Layer text from elsewhere: names and values as they are, without expansion. */
export function textsOf(text: string): Texts {
  const values = readValues(text)
  if (values.flaws.length > 0) throw new NoAnswer('returned neither JSON nor layer text', 'Correct the service.', false)
  return Object.fromEntries([...values.names()].map((name) => [name, values.get(name)]))
}

/** Texts by name; numbers and switches as JSON has them are taken for their text. */
export function checkedTexts(values: unknown): Texts {
  if (!isRecord(values))
    throw new NoAnswer('did not return an object of texts', 'It must return { "NAME": "value" }.', false)
  const texts: Record<string, string> = Object.create(null)
  for (const [name, value] of Object.entries(values)) {
    if (value === null || value === undefined) continue
    if (!isName(name))
      throw new NoAnswer('returned an invalid name', 'Use only letters, digits and underscores.', false)
    if (!['string', 'number', 'boolean'].includes(typeof value) || String(value).includes('\0'))
      throw new NoAnswer(`returned a value for ${name} that is not text`, 'Return it as text.', false)
    texts[name] = String(value)
  }
  return texts
}
