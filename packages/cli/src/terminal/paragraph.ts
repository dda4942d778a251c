import wrap from 'wrap-ansi'

/** A text broken between words; a word that is too long, such as an address to take, stays whole. */
export function paragraph(text: string, width: number): string {
  return wrap(text, width, { hard: false })
}
