const namePattern = /^[A-Za-z_][A-Za-z0-9_]*$/

const stagePattern = /^[a-z][a-z0-9-]*$/

/** Tells whether a text may name a stage: small letters, digits and hyphens, a letter first. */
export function isStageName(text: string): boolean {
  return stagePattern.test(text)
}

/** Tells whether a text is a name: letters, digits and underscores, no digit first. */
export function isName(text: string): boolean {
  return namePattern.test(text)
}

/**
 * What looks like an assignment on a further line of a text: its name and what follows the equals sign. The last line of a
 * key in base64, which ends in one or two of those, is not one.
 */
export const assignmentInside =
  /\n[ \t]*(?:export[ \t]+)?([A-Za-z_][A-Za-z0-9_]*)[ \t]*=(?!=?[ \t]*\r?(?:\n|$))([^\n]*)/
