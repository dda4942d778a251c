import { witness } from '../../settle/reading/witness.js'

/** The process environment, as the library reads it. */
export function hostEnvironment(): Readonly<Record<string, string | undefined>> {
  return witness()?.environment ?? process.env
}
