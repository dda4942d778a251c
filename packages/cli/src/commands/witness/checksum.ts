/**
 * A keyed checksum by which a value is compared without being written down. Node's own digests would cost a watched program several
 * milliseconds to load. It keeps nothing from someone with the key, which only this user can read, and which goes with the run.
 */
export function checksumOf(text: string, key: string): string {
  const lanes = [0, 8, 16, 24].map((at) => Number.parseInt(key.slice(at, at + 8), 16) | 1)
  const whole = `${key}${text}\0${text.length}`
  for (let at = 0; at < whole.length; at++) {
    const code = whole.charCodeAt(at)
    for (let lane = 0; lane < lanes.length; lane++) {
      const mixed = Math.imul((lanes[lane] as number) ^ code, multipliers[lane] as number)
      lanes[lane] = (mixed ^ (mixed >>> 15) ^ (lanes[(lane + 1) % lanes.length] as number)) | 0
    }
  }
  return lanes.map((lane) => (lane >>> 0).toString(16).padStart(8, '0')).join('')
}

/** Odd, with bits all over, as multipliers of hashes are. */
const multipliers = [0x9e3779b1, 0x85ebca77, 0xc2b2ae3d, 0x27d4eb2f]
