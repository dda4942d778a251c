import { git } from '../../project/git/git.js'

/** The last change of a line: author and date. */
export interface LastChange {
  /** The first characters of the commit; null if the line is not committed yet. */
  readonly commit: string | null
  /** Year, month and day there. */
  readonly date: string
  readonly author: string
}

/** The last change of a line of a file, from git; undefined where that does not have the file. */
export function lastChange(root: string, file: string, line: number): LastChange | undefined {
  const text = git(root, ['blame', '--porcelain', '-L', `${line},${line}`, '--', file])
  const [head = '', ...rest] = text?.split('\n') ?? []
  const [commit = ''] = head.split(' ')
  const word = (name: string) => rest.find((each) => each.startsWith(`${name} `))?.slice(name.length + 1)
  const time = Number(word('author-time'))
  const author = word('author')
  if (!/^[0-9a-f]{40,64}$/.test(commit) || author === undefined || !Number.isFinite(time)) return undefined
  const [, sign = '+', hours = '0', minutes = '0'] = /^([+-])(\d\d)(\d\d)$/.exec(word('author-tz') ?? '') ?? []
  const offset = (sign === '-' ? -1 : 1) * (Number(hours) * 60 + Number(minutes)) * 60
  return {
    commit: /^0+$/.test(commit) ? null : commit.slice(0, 10),
    date: new Date((time + offset) * 1000).toISOString().slice(0, 10),
    author,
  }
}
