import { type Aliases, bundlerAliases, isBundlerConfig, type Standing, standingIn } from '../code/browser.js'
import { aliasesIn } from '../code/compiler.js'
import { isContainerFile } from '../code/compose.js'
import { cellsIn } from '../code/notebook.js'
import { holdsCode, type Node, overParsed, type SourceFile, type Unparsed, walk } from '../code/parse.js'
import { placeIn } from '../code/place.js'
import { pythonTree } from '../code/python.js'
import { collectReads } from '../code/reads.js'
import { guardsIn } from '../code/stages/guards.js'
import { isMade, isMapped, isTestFile } from '../code/test-files.js'
import { containersIn } from '../guess/containers.js'
import { findingsIn } from '../guess/find.js'
import type { Finding, Range } from '../guess/finding.js'
import { isPackageFile, scriptsIn } from '../guess/package-scripts.js'
import { variablesIn } from '../guess/variables.js'
import { developedWith } from '../starts/manifest.js'
import { configTree, givingTree, isConfigFile, isGivingFile } from './config-files.js'

/** Facts of one file: plain data, so that a thread may find them. */
export interface FileFacts {
  readonly path: string
  /** The digest of its text, if anything was found in it. */
  readonly sum?: string
  readonly findings: readonly Finding[]
  /** Its findings, if it is a configuration file. */
  readonly configured: readonly Finding[]
  /** Its place in the application; undefined if it has no code or was not parsed. */
  readonly standing?: Standing
  /** Names that it asks for before it uses them. */
  readonly tested: readonly string[]
  readonly unparsed?: Pick<Unparsed, 'line' | 'column'>
  /** True if a tool has made it of others. */
  readonly made?: boolean
  /** True if it says that it was made of another one, which may be here or not. */
  readonly mapped?: boolean
  /** Development dependencies and aliases that this file names. */
  readonly tools?: readonly string[]
  readonly aliases?: Aliases
}

/** Tells whether a file of this name may say something. */
export function isTelling(path: string): boolean {
  return (
    holdsCode(path) ||
    isPython(path) ||
    isPackageFile(path) ||
    isContainerFile(path) ||
    isConfigFile(path) ||
    isGivingFile(path) ||
    isCompilerConfig(path)
  )
}

/** Facts about one file. No content makes it throw. */
export function fileFacts(file: SourceFile): FileFacts {
  const { path, text } = file
  const facts: FileFacts = {
    path,
    findings: isPackageFile(path) ? scriptsIn(file) : isContainerFile(path) ? containersIn(file) : [],
    configured: isConfigFile(path)
      ? configuredIn(file, configTree(file))
      : isGivingFile(path)
        ? configuredIn(file, givingTree(file))
        : [],
    tested: [],
    ...(isMapped(text) && { mapped: true }),
    ...(path === 'package.json' && { tools: [...developedWith(file)] }),
    ...(isCompilerConfig(path) && { aliases: aliasesIn(text) }),
  }
  if (isPython(path)) return pythonFacts(file, facts)
  if (!holdsCode(path)) return facts
  if (isMade(path, text)) return { ...facts, made: true }
  const found = overParsed(file, ({ programs }) => foundIn(file, programs))
  if ('line' in found) return { ...facts, unparsed: { line: found.line, column: found.column } }
  const { findings, standing, guards, aliases } = found
  return { ...facts, findings, standing, tested: [...guards.tested], ...(aliases && { aliases }) }
}

function isCompilerConfig(path: string): boolean {
  return /^[jt]sconfig(?:\.[\w-]+)?\.json$/.test(path)
}

/** Tells whether a file holds Python, by itself or in the cells of a notebook. */
export function isPython(path: string): boolean {
  return /\.(?:py|ipynb)$/.test(path)
}

/** Kinds that move out of Python: those that must not stay. The rest is its authors' own way. */
const movedFromPython: ReadonlySet<Finding['kind']> = new Set(['credential', 'address', 'connection'])

function pythonFacts(file: SourceFile, facts: FileFacts): FileFacts {
  if (isTestFile(file.path)) return facts
  const isNotebook = file.path.endsWith('.ipynb')
  const whole = Array.from({ length: isNotebook ? 0 : file.text.length + 1 }, (_, at) => at)
  const cells = isNotebook ? cellsIn(file.text) : [{ code: file.text, offsets: whole }]
  const findings: Finding[] = []
  for (const { code, offsets } of cells) {
    const tree = pythonTree(code)
    // In a notebook some cells are commands rather than code.
    if (typeof tree === 'number') {
      if (isNotebook) continue
      const { line, column } = placeIn(code, tree)
      return { ...facts, unparsed: { line, column } }
    }
    const found = findingsIn({ path: file.path, text: code })
    walk(tree, found.visit)
    for (const each of found.findings(new Set())) {
      if (!movedFromPython.has(each.kind) || each.confidence === 'low' || each.placeholder || each.form !== 'string')
        continue
      const moved = (range: Range) => ({ start: offsets[range.start] ?? 0, end: offsets[range.end] ?? 0 })
      const { start, end } = moved(each)
      const { line, column } = placeIn(file.text, start)
      findings.push({ ...each, form: 'python', start, end, line, column, literals: each.literals.map(moved) })
    }
  }
  return { ...facts, findings }
}

/** Facts about one file's code. */
function foundIn(file: SourceFile, programs: readonly Node[]) {
  // One walk for all: going through the trees is most of the work.
  const [found, stands, reads, asked] = [findingsIn(file), standingIn(file), collectReads(file), guardsIn()]
  for (const program of programs)
    walk(program, (node, parents) => {
      found.visit(node, parents)
      stands.visit(node, parents)
      reads.visit(node, parents)
      asked.visit(node, parents)
    })
  const bundler = isBundlerConfig(file.path) ? bundlerAliases() : undefined
  if (bundler) for (const program of programs) walk(program, bundler.visit)
  const others = new Set<Node>()
  const variables = variablesIn(file, reads.reads(), asked.guards, others)
  const findings = apart([...found.findings(others), ...variables])
  return { findings, standing: stands.standing(), guards: asked.guards, aliases: bundler?.aliases }
}

/** Without what stands inside of something that is replaced as a whole; of what is taken apart each part stands for itself. */
function apart(findings: readonly Finding[]): Finding[] {
  const inner = new Set<Finding>()
  // From left to right, the longer first: what one begins before and ends behind holds it.
  let [wholeEnd, patternEnd] = [-1, -1]
  for (const each of [...findings].sort((a, b) => a.start - b.start || b.end - a.end)) {
    const { end, form, frame } = each
    if (end <= wholeEnd || (form !== 'pattern' && end <= patternEnd)) inner.add(each)
    else if (form === 'pattern') patternEnd = Math.max(patternEnd, end)
    else if (frame !== undefined) wholeEnd = end
  }
  return findings.filter((each) => !inner.has(each))
}

/** Facts about a configuration file of the application, as far as they are certain. */
function configuredIn(file: SourceFile, tree: Node | undefined): readonly Finding[] {
  if (!tree) return []
  const found = findingsIn(file)
  walk(tree, found.visit)
  return found.findings(new Set()).filter(({ confidence, echo }) => confidence !== 'low' && !echo)
}
