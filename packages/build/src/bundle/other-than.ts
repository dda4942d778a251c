/** A pattern for a name that is not one of some words, without looking ahead or behind: what bundlers search with knows neither. */
export function otherThan(words: Iterable<string>): string {
  const root: Branch = { ends: true, next: new Map() }
  for (const word of words) {
    let at = root
    for (const sign of word) {
      const next = at.next.get(sign) ?? { ends: false, next: new Map() }
      at.next.set(sign, next)
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

const nameSigns = '$0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ_abcdefghijklmnopqrstuvwxyz'

/** Returns what may follow so that no word comes of it; all branches together are as long as the words. */
function afterBranch({ ends, next }: Branch): string {
  const others = [...nameSigns].filter((sign) => !next.has(sign)).join('')
  const more = [...next].map(([sign, branch]) => `${sign.replace('$', '\\$')}${afterBranch(branch)}`)
  // A name that stops where no word ends.
  const stop = ends ? [] : ['[^\\w$]', '$']
  return `(?:${[`[${others}]`, '[^\\x00-\\x7f]', ...stop, ...more].join('|')})`
}
