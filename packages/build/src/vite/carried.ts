/** A sentence that names a page's variables, and those that come when it is served; undefined if there are none. */
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
