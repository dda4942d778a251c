/** The known name nearest to a mistyped one, if one is near. */
export function nearest(name: string, known: Iterable<string>): string | undefined {
  const reachMax = Math.min(3, Math.floor(name.length / 3))
  let best: string | undefined
  let least = reachMax + 1
  for (const other of known) {
    if (Math.abs(other.length - name.length) >= least) continue
    const distance = editDistance(name.toUpperCase(), other.toUpperCase())
    if (distance < least) {
      least = distance
      best = other
    }
  }
  return best
}

/** Insertions, removals, replacements and swaps of neighbours between two texts. */
function editDistance(a: string, b: string): number {
  let before: number[] = []
  let last = Array.from({ length: b.length + 1 }, (_, at) => at)
  for (let i = 1; i <= a.length; i++) {
    const row = [i]
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1] ? 0 : 1
      let cost = Math.min((last[j] as number) + 1, (row[j - 1] as number) + 1, (last[j - 1] as number) + same)
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1])
        cost = Math.min(cost, (before[j - 2] as number) + 1)
      row.push(cost)
    }
    before = last
    last = row
  }
  return last[b.length] as number
}
