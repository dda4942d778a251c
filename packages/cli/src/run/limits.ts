import type { Fault, Survey } from 'mappa'
import { counted } from 'mappa/command'

/** What a system hands to a program in one text `NAME=value`, its end included. Bytes; Linux calls it MAX_ARG_STRLEN. */
const textMax: Partial<Record<NodeJS.Platform, number>> = { linux: 131_072, win32: 32_767 }

/** Values that this system would not hand to a program, each as a fault with its place. */
export function tooLongFor(found: Survey): Fault[] {
  const most = textMax[process.platform]
  if (most === undefined) return []
  return [...found.texts].flatMap(([name, text]): Fault[] => {
    const room = most - Buffer.byteLength(name) - 2
    const size = text.length * 3 > room ? Buffer.byteLength(text) : 0
    if (size <= room) return []
    const { winner } = found.trail(name)
    return [
      {
        kind: 'too-long',
        name,
        message: `${name} has ${counted(size, 'byte')}, and this system passes at most ${room} to a program.`,
        ...(winner && { layer: winner.layer }),
        ...(winner?.place && { place: winner.place }),
        remedy: 'Keep it in a file, and pass the name of the file instead.',
      },
    ]
  })
}
