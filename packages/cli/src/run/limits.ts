import type { Fault, Survey } from 'mappa'
import { counted } from '../declared/counted.js'
import { longTextMax } from './text-max.js'

/** Values that this system would not hand to a program, each as a fault with its place. */
export function tooLongFor(found: Survey): Fault[] {
  return [...found.texts].flatMap(([name, text]): Fault[] => {
    const room = longTextMax - Buffer.byteLength(name) - 2
    const size = text.length * 3 > room ? Buffer.byteLength(text) : 0
    if (size <= room) return []
    const { winner } = found.trail(name)
    return [
      {
        kind: 'too-long',
        name,
        message: `${name} has ${counted(size, 'byte')}, but this system passes at most ${room} to a program.`,
        ...(winner && { layer: winner.layer }),
        ...(winner?.place && { place: winner.place }),
        remedy: 'Keep it in a file, and pass the file name.',
      },
    ]
  })
}
