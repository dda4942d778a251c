/** A pattern for a name that is not one of some words, without looking ahead or behind: what bundlers search with knows neither. */
export function otherThan(words: Iterable<string>): string {
  const root: Branch = { ends: true, next: new Map() }
  for (const word of words) {
    let at = root
    for (const char of word) {
      const next = at.next.get(char) ?? { ends: false, next: new Map() }
      at.next.set(char, next)
      at = next
    }
    at.ends = true
  }
  return afterBranch(root)
}

interface Branch {
  /** True if a word ends here. */
  ends: boolean
  readonly next: Map<string, Branch>
}

const nameChars = '$0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ_abcdefghijklmnopqrstuvwxyz'

/** A pattern for continuations that complete no word. All branches together are as long as the words. */
function afterBranch({ ends, next }: Branch): string {
  const others = [...nameChars].filter((char) => !next.has(char)).join('')
  const more = [...next].map(([char, branch]) => `${char.replace('$', '\\$')}${afterBranch(branch)}`)
  // A name that stops where no word ends.
  const stop = ends ? [] : ['[^\\w$]', '$']
  return `(?:${[`[${others}]`, '[^\\x00-\\x7f]', ...stop, ...more].join('|')})`
}
