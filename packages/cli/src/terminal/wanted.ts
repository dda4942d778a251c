/** The pattern for a variable name in which `*` stands for any part: `ALERT_*`. */
export function patternFor(name: string): RegExp {
  return new RegExp(`^${name.replace(/\*+/g, '.*')}$`)
}
