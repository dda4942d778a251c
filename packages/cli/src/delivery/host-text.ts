import { printable, type Survey } from 'mappa'
import { askRemote, readTextFile, standardInput, withoutCredentials } from 'mappa/command'
import { UsageError } from '../terminal/usage-error.js'

/** Which host is meant. */
export interface HostOptions {
  /** A file or an address with what a host says it has. */
  readonly host?: string
  /** The variable that holds the token for the host. */
  readonly tokenFrom?: string
}

/** A host's own tools may take a while to list what it has. Milliseconds. */
const hostMax = 30_000

/** A host's variables, from a file, or requested with a token from a variable. */
export async function hostText(
  { host = '', tokenFrom }: HostOptions,
  found: Survey,
): Promise<{ readonly text: string } | { readonly why: string }> {
  if (!isAddress(host)) {
    if (host.includes('://'))
      throw new UsageError('--host takes a file, - for standard input, or an address that begins with https://.')
    if (tokenFrom !== undefined) throw new UsageError('--token-from is for a host with an address: --host https://…')
    const name = host === '-' ? 'Standard input' : printable(withoutCredentials(host))
    const text =
      host === '-' ? await standardInput(name, hostMax) : readTextFile(host, name, { pipe: true, wait: hostMax })
    if (typeof text === 'string') return { text }
    return { why: text ? `${text.message} ${text.remedy}` : `No file ${name}.` }
  }
  const token = tokenOf(tokenFrom, found)
  if ('why' in token) return token
  const answer = await askRemote({ name: 'the host', url: host, token: token.text })
  if ('text' in answer) return answer
  return { why: `${answer.fault.message} ${answer.fault.remedy}` }
}

export function isAddress(host: string): boolean {
  return /^https?:\/\//.test(host)
}

/** The token that a variable holds, in this machine's environment or in the layers. */
export function tokenOf(
  name: string | undefined,
  found: Survey,
): { readonly text: string | undefined } | { readonly why: string } {
  const text = name === undefined ? undefined : process.env[name] || found.texts.get(name)
  return name !== undefined && !text ? { why: `--token-from names ${name}, which has no value.` } : { text }
}
