import type { Fault } from '../../settle/faults/faults.js'
import { fileBytesMax } from './files.js'
import { lateFault, tooLarge } from './unreadable.js'

/** All that comes on standard input, or why it is not taken. `wait` is in milliseconds. */
export async function standardInput(name: string, wait: number): Promise<string | Fault> {
  const parts: Buffer[] = []
  let length = 0
  const input = process.stdin
  let late = false
  const timer = setTimeout(() => {
    late = true
    input.destroy()
  }, wait)
  try {
    for await (const part of input) {
      parts.push(part as Buffer)
      length += (part as Buffer).length
      if (length > fileBytesMax) return tooLarge(name, fileBytesMax)
    }
  } catch (error) {
    if (!late) throw error
  } finally {
    clearTimeout(timer)
  }
  return late ? lateFault(name, wait) : Buffer.concat(parts).toString('utf8')
}
