/** Returns what a page carries, and which of it comes when it is served, as a sentence; undefined for one that has nothing. */
export function carriedText(
  page: string,
  names: Iterable<string>,
  atStart: readonly string[],
  stage: string,
): string | undefined {
  const all = [...names].sort()
  const waiting = all.filter((name) => atStart.includes(name))
  const built = all.filter((name) => !atStart.includes(name))
  const type = `Run: mappa stamp ${page} --stage ${stage} --in-place`
  const parts = [
    ...(built.length > 0 ? [`contains ${built.join(', ')}`] : []),
    ...(waiting.length > 0 ? [`waits for ${waiting.join(', ')}.\n    ${type}`] : []),
  ]
  return parts.length > 0 ? `${page} ${parts.join(', and ')}` : undefined
}
