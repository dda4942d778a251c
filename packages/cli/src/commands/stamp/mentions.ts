/** Digests of a file's content by which other files name it, in hexadecimal or base64. */
export type DigestsOf = (content: Uint8Array) => readonly string[]

/** A shorter piece of a digest is taken for one by chance. Signs. */
const pieceMin = 8

/**
 * A text with the digests of a file's old content replaced by those of its new one, also where only their first characters
 * are kept, as lists of what to store ahead have them, or behind `sha384-` (Subresource Integrity, 3.5).
 */
export function withDigestsRenewed(text: string, before: readonly string[], after: readonly string[]): string {
  const starts = new Set(before.map((digest) => digest.slice(0, pieceMin)))
  return text.replace(
    /(?<![\w+/=])((?:sha(?:1|256|384|512)-)?)([\w+/-]{8,128}={0,2})(?![\w+/=])/g,
    (whole, label: string, cited: string) => {
      if (!starts.has(cited.slice(0, pieceMin))) return whole
      const fresh = after[before.findIndex((digest) => digest.startsWith(cited))]
      return fresh === undefined ? whole : label + fresh.slice(0, cited.length)
    },
  )
}

/** Tells whether a list of what to store ahead has a file under something that stands for its content. */
export function listsFile(text: string, name: string): boolean {
  const word = name.replace(/[^\w]/g, '\\$&')
  const entry = `["'\`](?:[^"'\`\\s]*/)?${word}["'\`]`
  const mark = `["'\`]?(?:revision|integrity|hash)["'\`]?\\s*:\\s*["'\`]`
  return new RegExp(`${entry}[^{}]{0,200}${mark}|${mark}[^{}]{0,200}${entry}`).test(text)
}
