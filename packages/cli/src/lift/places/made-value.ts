/**
 * A made-up text in the form of a secret, for tests in a clone: of the same length, and in the same alphabet where that is told by
 * its letters. Undefined for a key in several lines, which nobody can make up.
 */
export function madeValue(secret: string): string | undefined {
  if (/[\r\n]/.test(secret)) return undefined
  const address = addressIn(secret)
  if (address) return madeAddress(address)
  if (/^[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(secret)) return '00000000-0000-4000-8000-000000000000'
  if (/^\d+$/.test(secret)) return repeated('0', secret.length)
  if (/^[0-9a-f]+$/.test(secret)) return repeated('c0ffee', secret.length)
  if (/^[0-9A-F]+$/.test(secret)) return repeated('C0FFEE', secret.length)
  // Whole bytes in base64 stay so many bytes.
  const end = /^[A-Za-z0-9+/]+(={1,2})$/.exec(secret)?.[1] ?? ''
  return repeated(end === '' ? 'made-up-' : 'MadeUp', secret.length - end.length) + end
}

function addressIn(text: string): URL | undefined {
  return /^[a-z][a-z0-9+.-]*:\/\//i.test(text) && URL.canParse(text) ? new URL(text) : undefined
}

/** The address with another password; where it has none, the secret is behind the host. */
function madeAddress(address: URL): string {
  const { password } = address
  if (password === '') return `${address.protocol}//${address.host}/made-up`
  return address.href.replace(`:${password}@`, ':made-up@')
}

function repeated(text: string, length: number): string {
  return text.repeat(Math.ceil(length / text.length)).slice(0, length)
}
