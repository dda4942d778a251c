/** A slip of the hand is searched for up to here; longer names are data. Characters. */
const slipLengthMax = 64

/**
 * Names by what a slip of the hand makes of them: another case, or one letter left out, doubled, swapped with its neighbour
 * or wrong. A digit or a whole word that differs is not a slip: `HIVE_2` is not `HIVE_1`, and `S3_BUCKET_EU` not `S3_BUCKET`.
 * A look-up takes time in line with a name's length.
 */
export class SlipIndex {
  /** By the name in capitals, and by what is left of it without one of its characters. */
  readonly #names = new Map<string, string[]>()

  constructor(names: Iterable<string>) {
    for (const name of names) {
      if (name.length > slipLengthMax) continue
      const upper = name.toUpperCase()
      this.#add(upper, name)
      for (const rest of shortened(upper)) this.#add(rest, name)
    }
  }

  #add(key: string, name: string): void {
    const names = this.#names.get(key)
    if (names) names.push(name)
    else this.#names.set(key, [name])
  }

  /** The name that another one is a slip of, the nearest first: one that differs by its case alone, then any. */
  meantBy(slip: string): string | undefined {
    if (slip.length > slipLengthMax) return undefined
    const upper = slip.toUpperCase()
    const same = this.#names.get(upper) ?? []
    const found = same.find((name) => name.toUpperCase() === upper) ?? same.find((name) => isSlip(upper, name))
    if (found !== undefined) return found === slip ? undefined : found
    for (const rest of shortened(upper)) {
      const name = this.#names.get(rest)?.find((each) => isSlip(upper, each))
      if (name !== undefined) return name
    }
    return undefined
  }
}

/** A text without each of its characters in turn; of equal neighbours one is enough. */
function* shortened(text: string): Generator<string> {
  for (let at = 0; at < text.length; at++) if (text[at] !== text[at - 1]) yield text.slice(0, at) + text.slice(at + 1)
}

/** Tells whether one letter left out, doubled, swapped or wrong makes one name of the other; `slip` is in capitals. */
function isSlip(slip: string, name: string): boolean {
  const meant = name.toUpperCase()
  let at = 0
  while (at < slip.length && slip[at] === meant[at]) at++
  const rest = (text: string, from: number) => text.slice(from)
  const [found, wanted] = [slip[at], meant[at]]
  switch (slip.length - meant.length) {
    case -1:
      return isLetter(wanted) && rest(slip, at) === rest(meant, at + 1) && isInWord(meant, at)
    case 1: {
      // Which of two equal letters is the one too many is unknown, so the last is taken.
      const isDoubled = found !== undefined && found === slip[at - 1]
      return isDoubled && isLetter(found) && rest(slip, at + 1) === rest(meant, at)
    }
    case 0: {
      const isSwapped = found === meant[at + 1] && slip[at + 1] === wanted && rest(slip, at + 2) === rest(meant, at + 2)
      if (isSwapped) return isLetter(found) && isLetter(wanted)
      return isLetter(found) && isLetter(wanted) && rest(slip, at + 1) === rest(meant, at + 1) && isInWord(meant, at)
    }
    default:
      return false
  }
}

/** Names are made of words with underscores between them; one that is left out or doubled is a slip like a letter. */
function isLetter(character: string | undefined): boolean {
  return character !== undefined && /[A-Z_]/.test(character)
}

/** Tells whether a character is a part of a longer word: where it is one by itself, another says something else. */
function isInWord(name: string, at: number): boolean {
  return name[at] === '_' || /[A-Z]/.test(name[at - 1] ?? '') || /[A-Z]/.test(name[at + 1] ?? '')
}
