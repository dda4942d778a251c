/** Characters of a line of base64 in a PEM block (RFC 7468, 2). */
const lineLength = 64
const open = '-----BEGIN '
const dashes = '-----'

/**
 * PEM text with its line ends restored: people write `\n` for them, or blanks, to keep a key on one line. Undefined if it
 * is not one: blocks of RFC 7468, each with the same label at its start and end, and base64 between. Linear.
 */
export function pemOf(text: string): string | undefined {
  const plain = text.replaceAll('\\n', '\n').replaceAll('\\r', '').replaceAll('\r', '').trim()
  const blocks: string[] = []
  for (let at = 0; at < plain.length; ) {
    if (!plain.startsWith(open, at)) return undefined
    const labelStart = at + open.length
    const labelEnd = plain.indexOf(dashes, labelStart)
    const label = plain.slice(labelStart, Math.max(labelEnd, labelStart))
    if (!/^[A-Z0-9][A-Z0-9 -]*$/.test(label)) return undefined
    const close = `-----END ${label}-----`
    const start = labelEnd + dashes.length
    const end = plain.indexOf(close, start)
    const block = end < 0 ? undefined : blockOf(label, plain.slice(start, end).trim())
    if (block === undefined) return undefined
    blocks.push(block)
    at = end + close.length
    while (at < plain.length && /\s/.test(plain[at] as string)) at++
  }
  return blocks.length > 0 ? blocks.join('') : undefined
}

function blockOf(label: string, inner: string): string | undefined {
  // Headers of encrypted keys (RFC 1421) end with an empty line, and lines that stand well stay as they are.
  const [, headers = '', body = inner] = /^((?:[A-Za-z-]+: .*\n)+)\n([\s\S]*)$/.exec(inner) ?? []
  const data = body.replace(/\s+/g, '')
  if (data === '' || data.length % 4 !== 0 || !/^[A-Za-z0-9+/]+={0,2}$/.test(data)) return undefined
  const lines = /[ \t]|.{77}/.test(body) ? (data.match(new RegExp(`.{1,${lineLength}}`, 'g')) ?? []) : body.split(/\n+/)
  return `-----BEGIN ${label}-----\n${headers}${headers && '\n'}${lines.join('\n')}\n-----END ${label}-----\n`
}
