import { path } from './builtins.js'

/** A path as it is shown, compared and written down: with slashes on every system, which all of them read. */
export function shownPath(given: string): string {
  return path.sep === '/' ? given : given.replaceAll(path.sep, '/')
}

/** The way from one place to another, as it is shown. */
export function pathFrom(from: string, to: string): string {
  return shownPath(path.relative(from, to))
}
