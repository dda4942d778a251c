/** Rules that keep the layers of one machine out of git. */
const rules = ['.env.local', '.env.*.local']

/** Ignore rules with those for this machine's layers; undefined if nothing is missing. What is there stays, byte for byte. */
export function withIgnoreRules(before: string | undefined, wanted: readonly string[] = rules): string | undefined {
  const text = before ?? ''
  const there = new Set(text.split(/\r?\n/).map((line) => line.trim()))
  const missing = wanted.filter(
    (rule) => ![rule, `/${rule}`, `**/${rule}`, '.env*', '.env.*'].some((each) => there.has(each)),
  )
  if (missing.length === 0) return undefined
  const lineEnd = text.includes('\r\n') ? '\r\n' : '\n'
  const gap = text === '' || text.endsWith('\n') ? '' : lineEnd
  return `${text}${gap}${missing.map((rule) => rule + lineEnd).join('')}`
}
