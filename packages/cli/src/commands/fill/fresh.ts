import type { Generate } from 'mappa'

/** A fresh random value, from the system's own source of randomness. */
export function freshValue({ bytes, text }: Generate): string {
  return Buffer.from(crypto.getRandomValues(new Uint8Array(bytes))).toString(text)
}
