import { browserFiles, type Standing, standingIn } from './browser.js'
import { type Candidate, candidatesOf } from './candidates.js'
import { type Finding, findingsIn } from './find.js'
import { holdsCode, parseFile, type SourceFile, type Unparsed, walk } from './parse.js'

/** What was found in a project. */
export interface Found {
  readonly candidates: readonly Candidate[]
  /** Every literal that must not be shown, also those that stay in code. */
  readonly secrets: readonly Finding[]
  readonly unparsed: readonly Unparsed[]
  readonly files: number
}

/** Finds settings and keys in a project's code. Files come one at a time and are not kept. `taken` are the legend's names. */
export function findIn(files: Iterable<SourceFile>, taken: Iterable<string>): Found {
  const findings: Finding[] = []
  const standings: Standing[] = []
  const unparsed: Unparsed[] = []
  for (const file of files) {
    if (!holdsCode(file.path)) continue
    const parsed = parseFile(file)
    if ('line' in parsed) {
      unparsed.push(parsed)
      continue
    }
    // One walk for both: going through the trees is most of the work.
    const [found, stands] = [findingsIn(file), standingIn(file)]
    for (const program of parsed.programs)
      walk(program, (node, parents) => {
        found.visit(node, parents)
        stands.visit(node, parents)
      })
    findings.push(...found.findings)
    standings.push(stands.standing())
  }
  const browser = browserFiles(standings)
  const open = findings.filter(({ kept }) => !kept)
  const candidates = candidatesOf(open, taken, (path) => browser.has(path))
  const secrets = findings.filter(({ kind }) => kind === 'credential' || kind === 'connection')
  return { candidates, secrets, unparsed, files: standings.length }
}
