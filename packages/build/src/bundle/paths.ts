import path from 'node:path'

/** The way from one place to another, as it is shown: with slashes on every system. */
export function pathFrom(from: string, to: string): string {
  return path.relative(from, to).replaceAll(path.sep, '/')
}
