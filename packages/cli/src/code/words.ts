/** The words of a name, in small letters: `alertApiKey`, `ALERT_API_KEY` and `alert-api-key` are alert, api, key. */
export function wordsOf(name: string): readonly string[] {
  // Code says the same names again and again.
  const known = split.get(name)
  if (known) return known
  const words = name
    .replace(/IPv(?=[46])/g, 'Ipv')
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .replace(/([A-Z]+)([A-Z][a-z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^a-z0-9]+/)
    .filter((word) => word !== '')
  if (split.size >= splitCountMax) split.clear()
  split.set(name, words)
  return words
}

const split = new Map<string, readonly string[]>()

/** A large project has some ten thousand names; more would cost memory for little. */
const splitCountMax = 10_000
