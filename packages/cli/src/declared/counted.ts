/** `3 files`, `1 file`, `no files`. */
export function counted(count: number, noun: string): string {
  return `${count === 0 ? 'no' : count} ${noun}${count === 1 ? '' : 's'}`
}

/** A text as the start of a sentence. */
export function capitalized(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1)
}
