import { witness } from '../../settle/reading/witness.js'

/** The process environment, as the library reads it, and the preload sets it. */
export function hostEnvironment(): Record<string, string | undefined> {
  return witness()?.environment ?? process.env
}
