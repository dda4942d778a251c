/** Bytes given to one call. */
const atOnce = 8192

/** Bytes as characters, one for each: code points 0 to 255. */
export function latin1(bytes: Uint8Array): string {
  let text = ''
  for (let at = 0; at < bytes.length; at += atOnce)
    text += String.fromCharCode.apply(undefined, bytes.subarray(at, at + atOnce) as unknown as number[])
  return text
}
