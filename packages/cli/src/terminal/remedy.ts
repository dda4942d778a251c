/** A remedy behind arrows, each command on a line of its own, as reports have it. */
export function remedyText(remedy: string): string {
  return remedy
    .split(/ (?=Run: )/)
    .map((line) => `  → ${line}`)
    .join('\n')
}
