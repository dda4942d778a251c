/** Tells how a file names another one; both are paths from the root. */
export function relative(from: string, to: string): string {
  const own = from.split('/').slice(0, -1)
  const other = to.split('/')
  while (own.length > 0 && own[0] === other[0]) {
    own.shift()
    other.shift()
  }
  return `${own.length > 0 ? '../'.repeat(own.length) : './'}${other.join('/')}`
}
