import { type GitCommand, gitStream } from '../../project/git/git.js'
import { gitPath } from '../../project/git/repository.js'
import { UsageError } from '../../terminal/usage-error.js'

/** Lines that a change has added to a file, or removed from it. */
export interface ChangedLines {
  /** Empty for what is staged. */
  readonly commit: string
  /** From the repository's top, unless git was asked for relative paths. */
  readonly path: string
  /** Used again for the next change. */
  readonly bytes: Buffer
  readonly isAdded: boolean
  /** For each line of `bytes` its number in the file that results. */
  readonly numbers: readonly number[]
}

/** Options of a patch that `readChanges` understands, whatever the repository's settings say; binary files count as text. */
export const patchOptions = [
  '--patch',
  '--unified=0',
  '--inter-hunk-context=0',
  '--text',
  '--no-renames',
  '--no-color',
  '--submodule=short',
  '--src-prefix=a/',
  '--dst-prefix=b/',
] as const

/**
 * Passes on what the patches of a git command change. A long line comes in pieces. `onCommit` is called for each commit.
 * @throws {UsageError} if git fails, since a part of an answer must not be taken for all of it.
 */
export async function readChanges(
  root: string,
  command: GitCommand,
  visit: (change: ChangedLines) => void,
  { input = '', onCommit = () => {} }: { readonly input?: string; readonly onCommit?: () => void } = {},
): Promise<void> {
  const stream = gitStream(root, command)
  if (!stream) throw brokenOff(command, 'did not start')
  try {
    stream.input.end(input)
    const changes = new Changes(visit, onCommit)
    for await (const chunk of stream.output) changes.take(chunk)
    changes.end()
    const code = await stream.ended
    if (code !== 0) throw brokenOff(command, `ended with ${code ?? 'a signal'}`)
  } finally {
    stream.stop()
  }
}

/** Why a search of changes cannot go on. */
export function brokenOff([name]: GitCommand, how: string): UsageError {
  return new UsageError(
    `git ${name} ${how}, so not all changes were searched. A damaged or partial clone lacks some of them. Run: git fsck`,
  )
}

/** So much of what was changed in one file is passed on together. Bytes. */
const togetherMax = 1 << 18
/** A longer line is passed on in pieces, of which each has the end of the one before. Bytes. */
const pieceMax = 1 << 20
const overlap = 600

/** The ranges of a hunk stand at its beginning, before a line of the file. Bytes. */
const hunkHeadMax = 200

/** Takes patches bit by bit, as `diff` and `diff-tree --stdin --cc` print them. */
class Changes {
  readonly #visit: (change: ChangedLines) => void
  readonly #onCommit: () => void
  #rest: Buffer = Buffer.alloc(0)
  #commit = ''
  #path = ''
  #inHead = true
  /** Parents of the commit, each with a column of its own in front of a line. */
  #columns = 1
  /** The number of the next line in the file that results. */
  #next = 1
  /** True within a line that comes in pieces. */
  #isPiece = false
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
      this.#isPiece = false
      start = end + 1
    }
    this.#rest = bytes.subarray(start)
    if (this.#rest.length <= pieceMax) return
    this.#line(this.#rest)
    this.#isPiece = true
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
      if (this.#isPiece) this.#next--
      if (sign === plus) this.#keep(this.#added, line, this.#next++)
      else if (sign === minus) this.#keep(this.#taken, line, this.#next)
      else if (first === 32) this.#next++
      return
    }
    if (first === 64) {
      this.#inHead = false
      // `@@ …` has one parent, ` …` two.
      this.#columns = Math.max(1, line.indexOf(32) - 1)
      this.#next = Number(/ \+(\d+)/.exec(line.toString('latin1', 0, hunkHeadMax))?.[1] ?? 1)
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

  #keep(lines: Lines, line: Buffer, number: number): void {
    if (lines.length + line.length > togetherMax) this.#flush()
    lines.add(line, this.#columns, number)
  }

  #flush(): void {
    const [commit, path] = [this.#commit, this.#path]
    const visit = (lines: Lines, isAdded: boolean) => {
      if (lines.length > 0) this.#visit({ commit, path, isAdded, ...lines.taken() })
    }
    visit(this.#added, true)
    visit(this.#taken, false)
  }
}

/** Lines one after another, in one piece that is used again: there are many, and most are short. */
class Lines {
  readonly #bytes = Buffer.allocUnsafeSlow(togetherMax + 2 * pieceMax)
  #numbers: number[] = []
  length = 0

  add(line: Buffer, from: number, number: number): void {
    this.length += line.copy(this.#bytes, this.length, from)
    this.#bytes[this.length++] = 10
    this.#numbers.push(number)
  }

  /** The lines so far, and their numbers. */
  taken(): { readonly bytes: Buffer; readonly numbers: readonly number[] } {
    const [length, numbers] = [this.length, this.#numbers]
    this.length = 0
    this.#numbers = []
    return { bytes: this.#bytes.subarray(0, length), numbers }
  }
}

/** A merge's effect on a line. It counts as added if any parent lacks it. */
function signIn(signs: Buffer): number | undefined {
  return signs.includes(plus) ? plus : signs.includes(minus) ? minus : undefined
}

const plus = 43
const minus = 45
