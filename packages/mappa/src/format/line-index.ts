/** A place as editors count: both from 1, the column in UTF-16 code units. */
export interface LineColumn {
  readonly line: number
  readonly column: number
}

/** Turns offsets into lines and columns; lines end at LF, so CRLF counts once. Built only when a place is asked for. */
export class LineIndex {
  readonly #text: string
  readonly #starts: number[] = [0]

  constructor(text: string) {
    this.#text = text
    for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) this.#starts.push(at + 1)
  }

  at(offset: number): LineColumn {
    let low = 0
    let high = this.#starts.length
    while (high - low > 1) {
      const middle = (low + high) >> 1
      if ((this.#starts[middle] as number) <= offset) low = middle
      else high = middle
    }
    // A byte order mark is not a column that an editor shows.
    const start = low === 0 && this.#text.charCodeAt(0) === 0xfeff ? 1 : (this.#starts[low] as number)
    return { line: low + 1, column: Math.max(offset - start, 0) + 1 }
  }
}
