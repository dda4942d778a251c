/** A slip of the finger is searched for up to here; longer names are data. Characters. */
const nameLengthMax = 64

/** The known name nearest to a mistyped one, if one is near. */
export function nearest(name: string, known: Iterable<string>): string | undefined {
  if (name.length > nameLengthMax) return undefined
  const upper = name.toUpperCase()
  const letters = lettersOf(upper)
  let best: string | undefined
  let least = Math.min(3, Math.floor(name.length / 3)) + 1
  for (const other of known) {
    if (Math.abs(other.length - name.length) >= least) continue
    const otherUpper = other.toUpperCase()
    // A slip changes two letters at most, and most names have others altogether.
    if (bitsIn(letters ^ lettersOf(otherUpper)) > 2 * (least - 1)) continue
    const distance = editDistance(upper, otherUpper, least)
    if (distance < least) {
      least = distance
      best = other
    }
  }
  return best
}

/** Which letters a text has, as bits; some share one. */
function lettersOf(text: string): number {
  let letters = 0
  for (let at = 0; at < text.length; at++) letters |= 1 << (text.charCodeAt(at) & 31)
  return letters
}

function bitsIn(number: number): number {
  let count = 0
  for (let rest = number; rest !== 0; rest &= rest - 1) count++
  return count
}

// Thousands of names are compared in a row, so the rows are kept.
const [rowA, rowB, rowC] = [0, 1, 2].map(() => new Uint8Array(nameLengthMax * 3 + 16)) as [
  Uint8Array,
  Uint8Array,
  Uint8Array,
]

/**
 * Insertions, removals, replacements and swaps of neighbours between two texts, as long as they are fewer than `most`: only a
 * band round the diagonal is looked at.
 */
function editDistance(a: string, b: string, most: number): number {
  let [before, last, row] = [rowA, rowB, rowC]
  for (let j = 0; j <= b.length; j++) last[j] = Math.min(j, most)
  let lowBefore = 0
  for (let i = 1; i <= a.length; i++) {
    row.fill(most, 0, b.length + 1)
    row[0] = Math.min(i, most)
    let low = row[0] as number
    for (let j = Math.max(1, i - most); j <= Math.min(b.length, i + most); j++) {
      const same = a.charCodeAt(i - 1) === b.charCodeAt(j - 1) ? 0 : 1
      let cost = Math.min((last[j] as number) + 1, (row[j - 1] as number) + 1, (last[j - 1] as number) + same)
      if (i > 1 && j > 1 && a.charCodeAt(i - 1) === b.charCodeAt(j - 2) && a.charCodeAt(i - 2) === b.charCodeAt(j - 1))
        cost = Math.min(cost, (before[j - 2] as number) + 1)
      row[j] = Math.min(cost, most)
      if (cost < low) low = cost
    }
    // A swap goes across one row, so it takes two that are too far.
    if (low >= most && lowBefore >= most) return most
    lowBefore = low
    ;[before, last, row] = [last, row, before]
  }
  return last[b.length] as number
}
