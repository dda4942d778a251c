/**
 * Node's own modules, asked for instead of imported: an import makes Node prepare every export of `node:fs` for
 * modules, its promises and streams among them, which alone would cost each start 5 %.
 */
export const fs = process.getBuiltinModule('node:fs')
export const path = process.getBuiltinModule('node:path')
export const { createRequire } = process.getBuiltinModule('node:module')

/** A path as it is shown, compared and written down: with slashes on every system, which all of them read. */
export function shownPath(given: string): string {
  return path.sep === '/' ? given : given.replaceAll(path.sep, '/')
}

/** The way from one place to another, as it is shown. */
export function pathFrom(from: string, to: string): string {
  return shownPath(path.relative(from, to))
}
