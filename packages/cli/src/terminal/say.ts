import { paragraph } from './paragraph.js'
import { talk } from './terminal.js'

/** Says a sentence to anyone who sits there, broken as wide as the terminal is. */
export function say(text: string): void {
  const terminal = talk()
  terminal.write(`${paragraph(text, terminal.width)}\n`)
}
