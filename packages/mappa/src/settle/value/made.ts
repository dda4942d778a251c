import type { AnyEntry } from '../../legend/entry.js'
import type { Generate } from '../../legend/types.js'

declare const crypto: { getRandomValues(bytes: Uint8Array): Uint8Array }
declare const btoa: (binary: string) => string

const made = new WeakMap<AnyEntry, string>()

/**
 * A fresh random value for an entry that says how to make one, the same for as long as the process lives: tests need one that
 * nobody has to give, and that opens nothing.
 */
export function madeText(entry: AnyEntry): string | undefined {
  if (!entry.generate) return undefined
  const known = made.get(entry) ?? randomText(entry.generate)
  made.set(entry, known)
  return known
}

function randomText({ bytes: count, text }: Generate): string {
  const bytes = crypto.getRandomValues(new Uint8Array(count))
  if (text === 'hex') return [...bytes].map((byte) => byte.toString(16).padStart(2, '0')).join('')
  const base64 = btoa(Array.from(bytes, (byte) => String.fromCharCode(byte)).join(''))
  return text === 'base64' ? base64 : base64.replace(/\+/g, '-').replace(/\//g, '_').replace(/=+$/, '')
}
