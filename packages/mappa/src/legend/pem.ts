/** Characters of a line of base64 in a PEM block (RFC 7468, 2). */
const lineLength = 64

/**
 * PEM text with its line ends restored: people write `\n` for them, or blanks, to keep a key on one line. Undefined if it
 * is none: blocks of RFC 7468, each with the same label at its start and end, and base64 between.
 */
export function pemOf(text: string): string | undefined {
  const plain = text.replaceAll('\\n', '\n').replaceAll('\\r', '').replaceAll('\r', '').trim()
  const blocks: string[] = []
  let rest = plain
  while (rest !== '') {
    const found = /^-----BEGIN ([A-Z0-9][A-Z0-9 -]*)-----\s*([\s\S]*?)\s*-----END \1-----\s*/.exec(rest)
    if (!found) return undefined
    const [whole, label, inner = ''] = found
    // Headers of encrypted keys (RFC 1421) end with an empty line, and lines that stand well stay as they are.
    const [, headers = '', body = inner] = /^((?:[A-Za-z-]+: .*\n)+)\n([\s\S]*)$/.exec(inner) ?? []
    const data = body.replace(/\s+/g, '')
    if (!/^(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/.test(data) || data === '') return undefined
    const lines = /[ \t]|.{77}/.test(body)
      ? (data.match(new RegExp(`.{1,${lineLength}}`, 'g')) ?? [])
      : body.split(/\n+/)
    blocks.push(`-----BEGIN ${label}-----\n${headers}${headers && '\n'}${lines.join('\n')}\n-----END ${label}-----\n`)
    rest = rest.slice(whole.length)
  }
  return blocks.length > 0 ? blocks.join('') : undefined
}
