/** Returns what a name of a variable stands for, in which `*` is any part of one: `ALERT_*`. */
export function patternFor(name: string): RegExp {
  return new RegExp(`^${name.replace(/\*+/g, '.*')}$`)
}
