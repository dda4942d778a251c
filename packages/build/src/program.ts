import { parse } from 'acorn'

const options = { ecmaVersion: 'latest', allowHashBang: true, allowReturnOutsideFunction: true } as const
const empty = { type: 'Program', body: [], start: 0, end: 0 }

/** The program of a module as ESTree; an empty one for what is not a JavaScript, of which the builder itself has more to say. */
export function programOf(code: string): unknown {
  for (const sourceType of ['module', 'script'] as const)
    try {
      return parse(code, { ...options, sourceType })
    } catch {
      // The other kind, or none.
    }
  return empty
}
