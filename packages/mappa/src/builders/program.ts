import { parse } from 'acorn'

/** The program of a module as ESTree. What loaders leave in it that is no JavaScript is nobody's reading of settings. */
export function programOf(code: string): unknown {
  const options = { ecmaVersion: 'latest', allowHashBang: true, allowReturnOutsideFunction: true } as const
  try {
    return parse(code, { ...options, sourceType: 'module' })
  } catch {
    return parse(code, { ...options, sourceType: 'script' })
  }
}
