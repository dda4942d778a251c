import type { Candidate, Finding } from './finding.js'
import { candidatesOf } from './guess/candidates.js'
import { findingsIn } from './guess/find.js'
import { isSecretConnection } from './guess/shapes.js'
import { variablesIn } from './guess/variables.js'
import { containersIn, isContainerFile } from './manifests/containers.js'
import { isPackageFile, scriptsIn } from './manifests/package-scripts.js'
import { browserFiles, type Standing, standingIn } from './read/browser.js'
import { holdsCode, type Node, overParsed, type SourceFile, type Unparsed, walk } from './read/parse.js'
import { collectReads } from './read/reads.js'

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
    if (isPackageFile(file.path)) findings.push(...scriptsIn(file))
    else if (isContainerFile(file.path)) findings.push(...containersIn(file))
    if (!holdsCode(file.path)) continue
    const found = overParsed(file, ({ programs }) => foundIn(file, programs))
    if ('line' in found) {
      unparsed.push(found)
      continue
    }
    findings.push(...found.findings)
    standings.push(found.standing)
  }
  const browser = browserFiles(standings)
  const open = findings.filter(({ kept }) => !kept)
  const names = new Set(taken)
  // What the legend has is declared, and read as its owner chose.
  const fresh = open.filter(({ variable }) => !variable || !names.has(variable.name))
  const candidates = candidatesOf(fresh, names, (path) => browser.has(path))
  const staying = findings.filter((each) => each.kept && isSecret(each))
  const secrets = [...candidates.filter(({ secret }) => secret).flatMap(({ sites }) => sites), ...staying]
  return { candidates, secrets, unparsed, files: standings.length }
}

/** What one file's code holds. */
function foundIn(file: SourceFile, programs: readonly Node[]) {
  // One walk for all: going through the trees is most of the work.
  const [found, stands, reads] = [findingsIn(file), standingIn(file), collectReads(file)]
  for (const program of programs)
    walk(program, (node, parents) => {
      found.visit(node, parents)
      stands.visit(node, parents)
      reads.visit(node, parents)
    })
  const others = new Set<Node>()
  const variables = variablesIn(file, reads.reads(), others)
  return { findings: apart([...found.findings(others), ...variables]), standing: stands.standing() }
}

function isSecret({ kind, variable, value }: Finding): boolean {
  return (
    kind === 'credential' || variable?.secret === true || (kind === 'connection' && isSecretConnection(value ?? ''))
  )
}

/** Without what stands inside of something that is replaced as a whole. */
function apart(findings: readonly Finding[]): Finding[] {
  const wholes = findings.filter(({ frame, form }) => frame !== undefined || form === 'pattern')
  if (wholes.length === 0) return [...findings]
  return findings.filter(
    (each) =>
      !wholes.some(
        (whole) =>
          whole !== each &&
          !(each.form === 'pattern' && whole.form === 'pattern') &&
          whole.start <= each.start &&
          each.end <= whole.end,
      ),
  )
}
