import { git, gitStream } from '../../project/git/git.js'
import { gitPath } from '../../project/git/repository.js'

/** The commits to search, and those that are missing here. */
export interface HistoryScope {
  /** True if older commits were left out when it was cloned. */
  readonly isShallow: boolean
  /** Paths of repositories within, which have histories of their own. */
  readonly submodules: readonly string[]
}

/** Undefined where there is no git, or no commit yet. */
export function historyScope(root: string): HistoryScope | undefined {
  const isShallow = git(root, ['rev-parse', '--is-shallow-repository'])
  if (isShallow === undefined || git(root, ['rev-parse', '--verify', '--quiet', 'HEAD']) === undefined) return undefined
  const links = git(root, ['ls-files', '-z', '--stage'])?.split('\0') ?? []
  const submodules = links
    .filter((line) => line.startsWith('160000 '))
    .map((line) => line.slice(line.indexOf('\t') + 1))
  return { isShallow: isShallow.trim() === 'true', submodules }
}

/** Tells whether a revision is one that the repository has. */
export function isRevision(root: string, revision: string): boolean {
  return git(root, ['rev-parse', '--verify', '--quiet', '--end-of-options', `${revision}^{commit}`]) !== undefined
}

/** git processes that compute differences at once, each for every other hundred commits. */
const lanes = 2
const laneCommits = 100

/** A commit that a search came by. */
export interface Commit {
  readonly id: string
  /** Day, as `2026-11-03` (UTC). */
  readonly date: string
  /** Its place among all, of which none comes before what was made of it. */
  readonly order: number
  readonly parent: string | undefined
}

/** All commits that can be reached, from a reference, a stash, another working tree or the log of references; or those behind one. */
export function commitsOf(root: string, since: string | undefined): ReadonlyMap<string, Commit> {
  const which = since === undefined ? ['--all', '--reflog'] : ['--end-of-options', 'HEAD', `^${since}`]
  const lines = git(root, ['rev-list', '--topo-order', '--timestamp', '--parents', ...which])?.split('\n') ?? []
  return new Map(
    lines.flatMap((line, order): [string, Commit][] => {
      const [seconds = '', id, parent] = line.split(' ')
      if (id === undefined) return []
      const date = new Date(Number(seconds) * 1000).toISOString().slice(0, 10)
      return [[id, { id, parent, order, date }]]
    }),
  )
}

/** Lines that a commit has added to a file, or removed from it. */
export interface ChangedLines {
  readonly commit: string
  /** From the repository's top. */
  readonly path: string
  /** Used again for the next change. */
  readonly bytes: Buffer
  readonly isAdded: boolean
}

/**
 * What commits have added and taken away: whatever any version of a file has, some commit has added. Of a merge it is what none
 * of its parents has. A long line comes in pieces. `onCommit` gets the number of commits so far.
 */
export async function eachChange(
  root: string,
  commits: Iterable<string>,
  visit: (change: ChangedLines) => void,
  onCommit: (count: number) => void,
): Promise<void> {
  const all = [...commits]
  const shares: string[][] = Array.from({ length: lanes }, () => [])
  for (let at = 0; at < all.length; at += laneCommits)
    shares[(at / laneCommits) % lanes]?.push(...all.slice(at, at + laneCommits))
  let count = 0
  const format = ['-r', '--patch', '--cc', '--root', '--unified=0', '--text', '--no-renames', '--no-color']
  const plain = ['--no-ext-diff', '--no-textconv', '--src-prefix=a/', '--dst-prefix=b/']
  await Promise.all(
    shares
      .filter((share) => share.length > 0)
      .map(async (share) => {
        const differ = gitStream(root, ['diff-tree', '--stdin', ...format, ...plain])
        if (!differ) return
        try {
          differ.input.end(`${share.join('\n')}\n`)
          const changes = new Changes(visit, () => onCommit(++count))
          for await (const chunk of differ.output) changes.take(chunk)
          changes.end()
        } finally {
          differ.stop()
        }
      }),
  )
}

/** So much of what was changed in one file is passed on together. Bytes. */
const togetherMax = 1 << 18
/** A longer line is passed on in pieces, of which each has the end of the one before. Bytes. */
const pieceMax = 1 << 20
const overlap = 600

/** Takes what `diff-tree --stdin --patch --cc` says, bit by bit. */
class Changes {
  readonly #visit: (change: ChangedLines) => void
  readonly #onCommit: () => void
  #rest: Buffer = Buffer.alloc(0)
  #commit = ''
  #path = ''
  #inHead = true
  /** Parents of the commit, each with a column of its own in front of a line. */
  #columns = 1
  readonly #added = new Lines()
  readonly #taken = new Lines()

  constructor(visit: (change: ChangedLines) => void, onCommit: () => void) {
    this.#visit = visit
    this.#onCommit = onCommit
  }

  take(chunk: Buffer): void {
    const bytes = this.#rest.length > 0 ? Buffer.concat([this.#rest, chunk]) : chunk
    let start = 0
    for (let end = bytes.indexOf(10); end >= 0; end = bytes.indexOf(10, start)) {
      this.#line(bytes.subarray(start, end))
      start = end + 1
    }
    this.#rest = bytes.subarray(start)
    if (this.#rest.length <= pieceMax) return
    this.#line(this.#rest)
    // The rest belongs to the same line, and has its characters in front.
    this.#rest = Buffer.concat([this.#rest.subarray(0, this.#columns), this.#rest.subarray(-overlap)])
  }

  end(): void {
    if (this.#rest.length > 0) this.#line(this.#rest)
    this.#flush()
  }

  #line(line: Buffer): void {
    const first = line[0]
    if (!this.#inHead && (first === plus || first === minus || first === 32 || first === 92)) {
      const sign = this.#columns === 1 ? first : signIn(line.subarray(0, this.#columns))
      if (sign === plus) this.#keep(this.#added, line)
      else if (sign === minus) this.#keep(this.#taken, line)
      return
    }
    if (first === 64) {
      this.#inHead = false
      // `@@ …` has one parent, ` …` two.
      this.#columns = Math.max(1, line.indexOf(32) - 1)
      return
    }
    const text = line.toString('utf8')
    if (text.startsWith('diff --')) this.#open('')
    else if (this.#inHead && /^(?:---|\+\+\+) (?!\/dev\/null$)/.test(text))
      this.#path = gitPath(text.slice(4)).replace(/^[ab]\//, '')
    else if (/^[0-9a-f]{40,64}$/.test(text)) {
      this.#open(text)
      this.#onCommit()
    }
  }

  #open(commit: string): void {
    this.#flush()
    this.#inHead = true
    if (commit !== '') this.#commit = commit
  }

  #keep(lines: Lines, line: Buffer): void {
    if (lines.length + line.length > togetherMax) this.#flush()
    lines.add(line, this.#columns)
  }

  #flush(): void {
    const [commit, path] = [this.#commit, this.#path]
    if (this.#added.length > 0) this.#visit({ commit, path, bytes: this.#added.taken(), isAdded: true })
    if (this.#taken.length > 0) this.#visit({ commit, path, bytes: this.#taken.taken(), isAdded: false })
  }
}

/** Lines one after another, in one piece that is used again: there are many, and most are short. */
class Lines {
  readonly #bytes = Buffer.allocUnsafeSlow(togetherMax + 2 * pieceMax)
  length = 0

  add(line: Buffer, from: number): void {
    this.length += line.copy(this.#bytes, this.length, from)
    this.#bytes[this.length++] = 10
  }

  /** The lines so far. */
  taken(): Buffer {
    const { length } = this
    this.length = 0
    return this.#bytes.subarray(0, length)
  }
}

/** A merge's effect on a line. It counts as added if any parent lacks it. */
function signIn(signs: Buffer): number | undefined {
  return signs.includes(plus) ? plus : signs.includes(minus) ? minus : undefined
}

const plus = 43
const minus = 45
/** Branches of others that have a commit, by their names here. */
export function remotesWith(root: string, commit: string): readonly string[] {
  const remotes = git(root, ['branch', '--remotes', '--contains', commit, '--format=%(refname:short)'])
  return remotes?.split('\n').filter((name) => name.includes('/') && !name.endsWith('/HEAD')) ?? []
}
