/**
 * The items of a list: divided by the delimiter, spaces around them left out, one delimiter at the end ignored. An item in
 * double quotes may hold the delimiter, and double quotes as `""` (as RFC 4180 has it). Undefined if a quote never closes
 * or something follows it. Text without anything in it is an empty list.
 */
export function splitList(text: string, delimiter = ','): string[] | undefined {
  const items: string[] = []
  let at = 0
  while (at < text.length) {
    while (at < text.length && isSpace(text[at]) && !text.startsWith(delimiter, at)) at++
    if (text[at] === '"') {
      const start = at + 1
      let end = text.indexOf('"', start)
      while (end >= 0 && text[end + 1] === '"') end = text.indexOf('"', end + 2)
      if (end < 0) return undefined
      at = end + 1
      while (at < text.length && isSpace(text[at])) at++
      // Blanks may divide items, and have just been passed.
      const divided =
        at >= text.length || text.startsWith(delimiter, at) || (isSpace(delimiter) && isSpace(text[at - 1]))
      if (!divided) return undefined
      items.push(text.slice(start, end).replaceAll('""', '"'))
    } else {
      const end = text.indexOf(delimiter, at)
      items.push(text.slice(at, end < 0 ? text.length : end).trim())
      at = end < 0 ? text.length : end
    }
    if (text.startsWith(delimiter, at)) at += delimiter.length
  }
  return items
}

/** A list as text that splits into it again; as JSON where quotes could not do it. */
export function joinList(items: readonly unknown[], delimiter = ','): string {
  // A text that starts with a bracket would read as JSON.
  if (items.some((item) => typeof item === 'string' && (/^\s*\[/.test(item) || item === '')))
    return JSON.stringify(items)
  return items
    .map((item) => {
      const text = String(item)
      return text.includes(delimiter) || /^\s|\s$|"/.test(text) ? `"${text.replaceAll('"', '""')}"` : text
    })
    .join(delimiter)
}

function isSpace(char: string | undefined): boolean {
  return char !== undefined && /^\s$/.test(char)
}
