/**
 * 32 bits of a text, by FNV-1a: enough to see that it was changed, and too few to find a secret by. No cryptography is
 * loaded for it, since anyone who can read the mark can read the environment beside it.
 */
export function digestOf(text: string | undefined, salt = ''): string | undefined {
  if (text === undefined) return undefined
  let hash = 0x811c9dc5
  for (let at = 0; at < salt.length; at++) hash = Math.imul(hash ^ salt.charCodeAt(at), 0x01000193)
  for (let at = 0; at < text.length; at++) hash = Math.imul(hash ^ text.charCodeAt(at), 0x01000193)
  return (hash >>> 0).toString(36)
}
