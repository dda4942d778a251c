import { type GitCommand, git, gitStream } from '../../project/git/git.js'
import { brokenOff, type ChangedLines, patchOptions, readChanges } from './changed-lines.js'

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
  const lines =
    git(root, ['rev-list', '--topo-order', '--timestamp', '--parents', ...reached(since)])?.split('\n') ?? []
  return new Map(
    lines.flatMap((line, order): [string, Commit][] => {
      const [seconds = '', id, parent] = line.split(' ')
      if (id === undefined) return []
      const date = new Date(Number(seconds) * 1000).toISOString().slice(0, 10)
      return [[id, { id, parent, order, date }]]
    }),
  )
}

function reached(since: string | undefined): readonly string[] {
  return since === undefined ? ['--all', '--reflog'] : ['--end-of-options', 'HEAD', `^${since}`]
}

/** A text that is about commits, and goes wherever they go. */
export interface Message {
  readonly of: 'commit' | 'tag'
  /** The commit's id, or the tag's name. */
  readonly id: string
  readonly bytes: Buffer
}

/** Passes on the messages of commits, and of all tags. */
export async function eachMessage(
  root: string,
  since: string | undefined,
  visit: (message: Message) => void,
): Promise<void> {
  const commits = ['rev-list', '--format=%B%x00', ...reached(since)] as const
  await readParts(root, commits, (part) => {
    const [, id = '', text = ''] = /^\n?commit (\S+)\n([\s\S]*)$/.exec(part) ?? []
    visit({ of: 'commit', id, bytes: Buffer.from(text) })
  })
  if (since !== undefined) return
  const tags = ['for-each-ref', '--format=%(refname:short)%0a%(contents)%00', 'refs/tags'] as const
  await readParts(root, tags, (part) => {
    const [, id = '', text = ''] = /^\n?(.*)\n([\s\S]*)$/.exec(part) ?? []
    visit({ of: 'tag', id, bytes: Buffer.from(text) })
  })
}

/** Reads an answer whose parts end with NUL. */
async function readParts(root: string, command: GitCommand, visit: (part: string) => void): Promise<void> {
  const stream = gitStream(root, command)
  if (!stream) throw brokenOff(command, 'did not start')
  try {
    stream.input.end()
    let rest = ''
    const decoder = new TextDecoder()
    for await (const chunk of stream.output) {
      const parts = (rest + decoder.decode(chunk, { stream: true })).split('\0')
      rest = parts.pop() ?? ''
      for (const part of parts) visit(part)
    }
    const code = await stream.ended
    if (code !== 0) throw brokenOff(command, `ended with ${code ?? 'a signal'}`)
  } finally {
    stream.stop()
  }
}

/**
 * What commits have added and taken away: whatever any version of a file has, some commit has added. Of a merge it is what none
 * of its parents has. `onCommit` gets the number of commits so far.
 */
export async function eachChange(
  root: string,
  commits: Iterable<string>,
  visit: (change: ChangedLines) => void,
  onCommit: (count: number) => void,
): Promise<void> {
  const all = [...commits]
  const shares = Array.from({ length: lanes }, (_, lane) =>
    all.filter((_, at) => Math.floor(at / laneCommits) % lanes === lane),
  )
  let count = 0
  // A package's own history, where the root is not the repository's top.
  const command = ['diff-tree', '--stdin', '-r', '--cc', '--root', ...patchOptions, '--', '.'] as const
  await Promise.all(
    shares
      .filter((share) => share.length > 0)
      .map((share) =>
        readChanges(root, command, visit, { input: `${share.join('\n')}\n`, onCommit: () => onCommit(++count) }),
      ),
  )
}

/** Branches of others that have a commit, by their names here. */
export function remotesWith(root: string, commit: string): readonly string[] {
  const remotes = git(root, ['branch', '--remotes', '--contains', commit, '--format=%(refname:short)'])
  return remotes?.split('\n').filter((name) => name.includes('/') && !name.endsWith('/HEAD')) ?? []
}
