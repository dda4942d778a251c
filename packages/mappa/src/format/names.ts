const namePattern = /^[A-Za-z_][A-Za-z0-9_]*$/

const stagePattern = /^[a-z][a-z0-9-]*$/

/** Whether a text may name a stage: small letters, digits and hyphens, a letter first. */
export function isStageName(text: string): boolean {
  return stagePattern.test(text)
}

/** Whether a text is a name: letters, digits and underscores, no digit first. */
export function isName(text: string): boolean {
  return namePattern.test(text)
}
