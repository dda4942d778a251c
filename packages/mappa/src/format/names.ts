const namePattern = /^[A-Za-z_][A-Za-z0-9_]*$/

/** Whether a text is a name: letters, digits and underscores, no digit first. */
export function isName(text: string): boolean {
  return namePattern.test(text)
}
