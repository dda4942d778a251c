import type { Life } from '../guard/findings.js'
import { type GitStream, git, gitStream } from './git.js'
import { gitPath } from './repository.js'

/** A part of a file's content as some commit has it. Parts of one content come in order, the last one marked. */
export interface BlobPart {
  readonly id: string
  /** One of the paths that it has, from the repository's top. */
  readonly path: string
  readonly bytes: Uint8Array
  /** Where the part begins in the content. */
  readonly offset: number
  readonly isLast: boolean
}

/** What a history is made of, and what of it is not here. */
export interface HistoryScope {
  /** Whether older commits were left out when it was cloned. */
  readonly isShallow: boolean
  /** Paths of repositories within, which have histories of their own. */
  readonly submodules: readonly string[]
}

/** Undefined where there is no version control, or no commit yet. */
export function historyScope(root: string): HistoryScope | undefined {
  const isShallow = git(root, ['rev-parse', '--is-shallow-repository'])
  if (isShallow === undefined || git(root, ['rev-parse', '--verify', '--quiet', 'HEAD']) === undefined) return undefined
  const links = git(root, ['ls-files', '-z', '--stage'])?.split('\0') ?? []
  const submodules = links
    .filter((line) => line.startsWith('160000 '))
    .map((line) => line.slice(line.indexOf('\t') + 1))
  return { isShallow: isShallow.trim() === 'true', submodules }
}

/** Whether a revision is one that the repository has. */
export function isRevision(root: string, revision: string): boolean {
  return git(root, ['rev-parse', '--verify', '--quiet', '--end-of-options', `${revision}^{commit}`]) !== undefined
}

/** So many gits work differences out at once, each of every other hundred of commits. */
const lanes = 2
const laneCommits = 100

/** Which commits: all that can be reached, from a reference, a stash, another working tree or the log of references; or those behind one. */
function commitsIn(since: string | undefined): readonly string[] {
  return since === undefined ? ['--all', '--reflog'] : ['--end-of-options', 'HEAD', `^${since}`]
}

/**
 * What commits have added, line by line: whatever any version of a file has, some commit has added. Of a merge it is what none of
 * its parents has. `told` gets the number of commits so far. Undefined `path`s do not come; a long line comes in pieces.
 */
export async function eachAddition(
  root: string,
  since: string | undefined,
  visit: (path: string, added: Buffer) => void,
  told: (count: number) => void,
): Promise<void> {
  const commits =
    git(root, ['rev-list', ...commitsIn(since)])
      ?.split('\n')
      .filter((id) => id !== '') ?? []
  const shares: string[][] = Array.from({ length: lanes }, () => [])
  for (let at = 0; at < commits.length; at += laneCommits)
    shares[(at / laneCommits) % lanes]?.push(...commits.slice(at, at + laneCommits))
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
          const additions = new Additions(visit, () => told(++count))
          for await (const chunk of differ.output) additions.take(chunk)
          additions.end()
        } finally {
          differ.stop()
        }
      }),
  )
}

/** So much of what was added to one file is handed on together. Bytes. */
const togetherMax = 1 << 18
/** A longer line is handed on in pieces, of which each has the end of the one before. Bytes. */
const pieceMax = 1 << 20
const overlap = 600

/** Takes what `diff-tree --stdin --patch --cc` says, bit by bit. */
class Additions {
  readonly #visit: (path: string, added: Buffer) => void
  readonly #commit: () => void
  #rest: Buffer = Buffer.alloc(0)
  #path = ''
  #inHead = true
  /** Parents of the commit, each with a column of its own in front of a line. */
  #columns = 1
  #added: Buffer[] = []
  #size = 0

  constructor(visit: (path: string, added: Buffer) => void, commit: () => void) {
    this.#visit = visit
    this.#commit = commit
  }

  take(chunk: Buffer): void {
    const bytes = this.#rest.length > 0 ? Buffer.concat([this.#rest, chunk]) : chunk
    let start = 0
    for (let end = bytes.indexOf(10); end >= 0; end = bytes.indexOf(10, start)) {
      this.#line(bytes.subarray(start, end))
      start = end + 1
    }
    this.#rest = bytes.subarray(start)
    if (this.#rest.length > pieceMax) {
      this.#line(this.#rest)
      // What goes on is of the same line, and has its sign in front.
      this.#rest = Buffer.concat([this.#rest.subarray(0, this.#columns), this.#rest.subarray(-overlap)])
    }
  }

  end(): void {
    if (this.#rest.length > 0) this.#line(this.#rest)
    this.#flush()
  }

  #line(line: Buffer): void {
    const first = line[0]
    if (!this.#inHead && (first === 43 || first === 45 || first === 32 || first === 92)) {
      if (first === 43 || line.subarray(0, this.#columns).includes(43)) this.#add(line.subarray(this.#columns))
      return
    }
    if (first === 64) {
      this.#inHead = false
      // `@@ …` has one parent, `@@@ …` two.
      this.#columns = Math.max(1, line.indexOf(32) - 1)
      return
    }
    const text = line.toString('utf8')
    if (text.startsWith('diff --')) this.#inHead = true
    else if (this.#inHead && text.startsWith('+++ ')) {
      this.#flush()
      this.#path = gitPath(text.slice(4)).replace(/^b\//, '')
    } else if (/^[0-9a-f]{40,64}$/.test(text)) {
      this.#inHead = true
      this.#commit()
    }
  }

  #add(line: Buffer): void {
    this.#added.push(line, lineEnd)
    this.#size += line.length + 1
    if (this.#size > togetherMax) this.#flush()
  }

  #flush(): void {
    if (this.#size > 0) this.#visit(this.#path, Buffer.concat(this.#added))
    this.#added = []
    this.#size = 0
  }
}

const lineEnd = Buffer.from('\n')

/** Every version that a path has in the commits, each once, as git has them. */
export async function eachVersion(
  root: string,
  path: string,
  since: string | undefined,
  visit: (part: BlobPart) => void,
): Promise<void> {
  const only = ['--objects', '--filter=object:type=blob', '--filter-provided-objects']
  const list = gitStream(root, ['rev-list', ...only, ...commitsIn(since), '--', `:(top,literal)${path}`])
  const reader = gitStream(root, ['cat-file', '--batch', '--buffer'])
  if (!list || !reader) return
  // In the order in which contents are asked for, they come.
  const asked: AskedBlob[] = []
  try {
    const take = blobParts(asked, visit)
    const reading = async () => {
      for await (const chunk of reader.output) take(chunk)
    }
    await Promise.all([ask(list.output, reader, asked), reading()])
  } finally {
    list.stop()
    reader.stop()
  }
}

interface AskedBlob {
  readonly id: string
  readonly path: string
}

/** Asks for what a list names, and keeps which that was. */
async function ask(list: AsyncIterable<Buffer>, reader: GitStream, asked: AskedBlob[]): Promise<void> {
  let rest = ''
  for await (const chunk of list) {
    const lines = (rest + chunk.toString('utf8')).split('\n')
    rest = lines.pop() ?? ''
    let text = ''
    for (const line of lines) {
      const id = line.split(' ', 1)[0] as string
      asked.push({ id, path: line.slice(id.length + 1) })
      text += `${id}\n`
    }
    if (!reader.input.write(text)) await new Promise((resolve) => reader.input.once('drain', resolve))
  }
  reader.input.end()
}

/** Takes what `cat-file --batch` says, bit by bit: a line for each content, `<id> <kind> <size>`, then that and a line end. */
function blobParts(asked: AskedBlob[], visit: (part: BlobPart) => void): (chunk: Buffer) => void {
  let head = ''
  let current: { id: string; path: string; isBlob: boolean; size: number; offset: number } | undefined
  let next = 0
  return (chunk) => {
    let at = 0
    while (at < chunk.length) {
      if (!current) {
        const end = chunk.indexOf(10, at)
        head += chunk.toString('latin1', at, end < 0 ? chunk.length : end)
        if (end < 0) return
        const [id = '', kind, size = '0'] = head.split(' ')
        head = ''
        at = end + 1
        const path = asked[next++]?.path ?? ''
        // What was asked for is forgotten now and then, so that a long history takes no memory.
        if (next > askedMax) asked.splice(0, next)
        if (next > askedMax) next = 0
        if (kind === 'missing' || kind === undefined) continue
        current = { id, path, isBlob: kind === 'blob', size: Number(size), offset: 0 }
      }
      const { id, path, isBlob, size, offset } = current
      const bytes = chunk.subarray(at, at + size - offset)
      at += bytes.length
      current.offset += bytes.length
      const isLast = current.offset === size
      if (isBlob && bytes.length > 0) visit({ id, path, bytes, offset, isLast })
      if (!isLast) return
      // The line end behind it may come with the next bytes.
      if (at === chunk.length) current = { ...current, size: size + 1, isBlob: false }
      else {
        at++
        current = undefined
      }
    }
  }
}

const askedMax = 10_000

/** When some contents of a path came into the history, and when the last of them went; undefined if no commit has brought one. */
export function lifeOf(root: string, path: string, ids: ReadonlySet<string>): Life | undefined {
  const format = '--format=commit %H %cs %ct'
  const args = ['log', '--all', '--reflog', '-m', '--raw', '--no-abbrev', '--no-renames', '--full-history', format]
  const log = git(root, [...args, '--', `:(top,literal)${path}`])
  if (!log) return undefined
  const events: (Commit & { readonly before: boolean; readonly after: boolean })[] = []
  let commit: Commit | undefined
  for (const line of log.split('\n')) {
    const [, hash, date, time] = /^commit (\w+) (\S+) (\d+)$/.exec(line) ?? []
    if (hash && date) commit = { hash, date, time: Number(time) }
    const [, before = '', after = ''] = /^:\d+ \d+ (\w+) (\w+) /.exec(line) ?? []
    if (commit && after !== '') events.push({ ...commit, before: ids.has(before), after: ids.has(after) })
  }
  const first = events.filter(({ before, after }) => after && !before).sort((a, b) => a.time - b.time)[0]
  if (!first) return undefined
  const latest = events.sort((a, b) => b.time - a.time)
  const gone = latest.find(({ before, after }) => before !== after)
  const kept = gone?.after === true ? undefined : gone
  const [hash, date] = kept
    ? (git(root, ['log', '-1', '--format=%H %cs', `${kept.hash}^`])
        ?.trim()
        .split(' ') ?? [])
    : []
  const remotes = git(root, ['branch', '--remotes', '--contains', first.hash, '--format=%(refname:short)'])
  return {
    first: { id: first.hash.slice(0, shortLength), date: first.date },
    last: hash !== undefined && date !== undefined ? { id: hash.slice(0, shortLength), date } : undefined,
    remotes:
      remotes?.split('\n').filter((name) => name !== '' && !/(?:^|\/)HEAD$/.test(name) && name.includes('/')) ?? [],
  }
}

/** A commit is told by so many signs. */
const shortLength = 9

interface Commit {
  readonly hash: string
  /** Day, as `2026-11-03`. */
  readonly date: string
  /** Seconds since 1970. */
  readonly time: number
}
