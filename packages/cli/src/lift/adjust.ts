import type { Candidate } from '../guess/finding.js'

/** A candidate under another name. What code reads from its environment keeps its name, which hosts know too. */
export function renamed(candidate: Candidate, name: string): Candidate {
  return { ...candidate, name }
}

/** A candidate that a person says is confidential: no default, and its value goes to this machine's layer. */
export function asSecret(candidate: Candidate): Candidate {
  const { default: fallback, ...entry } = candidate.entry
  return {
    ...candidate,
    secret: true,
    value: candidate.value ?? (fallback === undefined ? undefined : String(fallback)),
    entry: { ...entry, secret: true },
  }
}

/** Why a candidate cannot have a given name; undefined if it can. */
export function wrongName(name: string, taken: ReadonlySet<string>): string | undefined {
  if (!/^[A-Z_][A-Z0-9_]*$/.test(name)) return 'Use capital letters, digits and underscores, without a digit first.'
  return taken.has(name) ? `${name} is taken.` : undefined
}
