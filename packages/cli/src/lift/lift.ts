import type { AnyEntry } from 'mappa'
import { browserFiles, templateFolders } from '../code/browser.js'
import type { SourceFile } from '../code/parse.js'
import { isToolFile } from '../code/test-files.js'
import { isSecretConnection } from '../credentials/opening-shapes.js'
import { candidatesOf } from '../guess/candidates.js'
import type { Candidate, Finding } from '../guess/finding.js'
import { isGivingFile } from './config-files.js'
import { asDeclared, isDeclaredRead } from './declared-reads.js'
import type { HeldTexts } from './edit/held.js'
import { type FileFacts, fileFacts } from './facts.js'

export interface UnparsedFile {
  readonly path: string
  readonly line: number
  readonly column: number
}

/** Findings of a project. */
export interface Found {
  readonly candidates: readonly Candidate[]
  /** Every literal that must not be shown, also those that stay in code. */
  readonly secrets: readonly Finding[]
  /** Files that could not be parsed, and where; both count from 1. */
  readonly unparsed: readonly UnparsedFile[]
  /** Folders of templates that were left as they are: what is in them becomes another project's code. */
  readonly templates: readonly string[]
  /** Files that a tool has made of others, which were left. */
  readonly made: readonly string[]
  readonly files: number
}

/**
 * Finds settings and keys in a project's code. Files come one at a time and are not kept. `taken` are the legend's names;
 * with `compose`, what containers are given counts as the application's where it may.
 */
export function findIn(files: Iterable<SourceFile>, taken: Iterable<string>, compose = false): Found {
  const facts: FileFacts[] = []
  for (const file of files) facts.push(fileFacts(file))
  return gathered(facts, taken, compose)
}

/**
 * Findings of a project, from the facts about its files. With the legend's `entries`, code's reads of what those declare are
 * candidates, too. What is `held` by layers under a name is that setting, or another one must not be called so.
 */
export function gathered(
  facts: readonly FileFacts[],
  taken: Iterable<string>,
  compose = false,
  entries: Readonly<Record<string, AnyEntry>> = {},
  held: HeldTexts = new Map(),
): Found {
  const findings = facts.flatMap((each) => each.findings)
  const configured = facts.flatMap((each) => each.configured)
  const standings = facts.flatMap(({ standing }) => standing ?? [])
  const unparsed = facts.flatMap(({ path, unparsed }) => (unparsed ? [{ ...unparsed, path }] : []))
  const tested = new Set(facts.flatMap((each) => each.tested))
  const tools = new Set(facts.flatMap((each) => each.tools ?? []))
  const aliases = facts.flatMap((each) => each.aliases ?? [])
  const browser = browserFiles(standings, aliases)
  const templates = templateFolders(standings)
  const compiled = compiledFiles(facts)
  const made = facts.flatMap(({ path, made }) => (made || compiled.has(path) ? [path] : []))
  const isLeft = ({ path, form }: Finding) =>
    form !== 'script' &&
    form !== 'container' &&
    (isToolFile(path, tools) || compiled.has(path) || templates.some((folder) => path.startsWith(folder)))
  const open = findings.filter((each) => !each.kept && !isLeft(each))
  // Settings of tools stay; but not a credential in them, unmentioned.
  const ofTools = findings
    .filter((each) => !each.kept && isToolFile(each.path, tools) && isSecret(each) && isSure(each))
    .map(asLiteral)
  const names = new Set(taken)
  const fresh = open
    .filter(({ variable }) => !variable || !names.has(variable.name))
    .map((each) => askedElsewhere(each, tested))
  const declared = open.filter((each) => isDeclaredRead(each, entries)).map((each) => askedElsewhere(each, tested))
  const isContained = ({ form }: Finding) => form === 'container'
  const [contained, own] = [fresh.filter(isContained), fresh.filter((each) => !isContained(each))]
  const isBrowser = (path: string) => browser.has(path)
  const plain = candidatesOf(own, names, isBrowser, held)
  const joining = contained.filter((each) => compose && joins(each, plain))
  const found = joining.length > 0 ? candidatesOf([...own, ...joining], names, isBrowser, held) : plain
  const read = new Set(found.map(({ name }) => name))
  const alone = containedCandidates(contained.filter(({ variable }) => !read.has(variable?.name ?? '')))
  const candidates = [
    ...found,
    ...alone,
    ...configuredCandidates(configured, found, names, whyConfigured),
    ...configuredCandidates(
      ofTools,
      found,
      names,
      (path) => `A tool reads ${path}. Remove the value there, and start the tool with: mappa with -- …`,
    ),
    ...candidatesOf(declared, names, isBrowser).map((each) => asDeclared(each, entries)),
  ]
  const staying = findings.filter((each) => (each.kept || isLeft(each) || isContained(each)) && isSecret(each))
  const secrets = [...candidates.filter(({ secret }) => secret).flatMap(({ sites }) => sites), ...staying]
  return { candidates, secrets, unparsed, templates, made, files: standings.length }
}

function isSure({ confidence, echo, value }: Finding): boolean {
  return confidence !== 'low' && !echo && value !== undefined
}

/** A fallback beside a read, as a value of its own. */
function asLiteral({ variable, ...finding }: Finding): Finding {
  if (!variable) return finding
  return { ...finding, kind: isSecretConnection(finding.value ?? '') ? 'connection' : 'credential', form: 'string' }
}

function whyConfigured(path: string): string {
  return isGivingFile(path)
    ? `Lift does not change ${path}. Remove the value there, and declare it with: mappa add`
    : `Programs read ${path} as it is, without values from layers. Read the setting in code, and remove it there.`
}

/** Values that only configuration files have. They are listed: code that reads those files expands nothing. */
function configuredCandidates(
  configured: readonly Finding[],
  found: readonly Candidate[],
  names: ReadonlySet<string>,
  whyIn: (path: string) => string,
): Candidate[] {
  const moved = new Set(found.flatMap(({ value, stages }) => [value, ...Object.values(stages)]))
  const taken = [...names, ...found.map(({ name }) => name)]
  const alone = configured.filter(({ value, kept }) => !kept && !moved.has(value))
  return candidatesOf(alone, taken, () => false).map((candidate) => {
    const [{ path = '' } = {}] = candidate.sites
    return { ...candidate, blocked: whyIn(path) }
  })
}

/** Files that were made of others here: beside one in TypeScript, or by what they say and one of that name in another folder. */
function compiledFiles(facts: readonly FileFacts[]): ReadonlySet<string> {
  const inCode = facts.filter(({ standing }) => standing)
  const stems = new Set(inCode.filter(({ path }) => /\.[cm]?tsx?$/.test(path)).map(({ path }) => stemOf(path)))
  const sources = new Set(inCode.filter(({ mapped }) => !mapped).map(({ path }) => stemOf(path, true)))
  const isMadeHere = ({ path, mapped }: FileFacts) =>
    /\.[cm]?jsx?$/.test(path) && (stems.has(stemOf(path)) || (mapped === true && sources.has(stemOf(path, true))))
  return new Set(inCode.filter(isMadeHere).map(({ path }) => path))
}

/** A path without its ending, and without the folder that it begins with: `lib/a/b.js` is made of `src/a/b.ts`. */
function stemOf(path: string, within = false): string {
  const stem = path.replace(/\.[cm]?[jt]sx?$/, '')
  return within ? stem.replace(/^[^/]+\//, '') : stem
}

/** Variables that only containers get: no start of the application needs them. */
function containedCandidates(findings: readonly Finding[]): Candidate[] {
  return candidatesOf(findings, [], () => false).map((candidate) => ({
    ...candidate,
    entry: { ...candidate.entry, optional: true },
  }))
}

/** Tells whether a container's value may be that of the application too: no start that had another one or none worked. */
function joins({ value, variable }: Finding, candidates: readonly Candidate[]): boolean {
  const known = candidates.find(({ name }) => name === variable?.name)
  if (!known || Object.keys(known.stages).length > 0) return false
  const { entry } = known
  const other = known.value ?? (entry.default === undefined ? undefined : String(entry.default))
  return other === undefined ? !entry.optional : other === value
}

/** A read whose value becomes a member of an object is asked for where that member is. */
function askedElsewhere(finding: Finding, tested: ReadonlySet<string>): Finding {
  const { variable } = finding
  return variable?.member !== undefined && tested.has(variable.member)
    ? { ...finding, variable: { ...variable, asks: true } }
    : finding
}

function isSecret({ kind, variable, value }: Finding): boolean {
  return (
    kind === 'credential' || variable?.secret === true || (kind === 'connection' && isSecretConnection(value ?? ''))
  )
}
