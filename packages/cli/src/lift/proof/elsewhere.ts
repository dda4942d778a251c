import { lastName } from '../../code/context.js'
import { isNode, type Node, nodesIn } from '../../code/parse.js'
import { identifierIn } from '../../code/reads.js'
import type { NameUse } from '../../code/values/bindings.js'
import type { CodeModule } from '../../code/values/modules.js'
import type { Candidate, Finding } from '../../guess/finding.js'
import type { Start } from '../../starts/start.js'
import type { Target } from '../change.js'
import type { ProjectCode } from './project-code.js'

/** What runs a project's code in a way of its own: by a package that it depends on, or by a file that configures it. */
interface Host {
  readonly name: string
  readonly packages?: readonly string[]
  readonly file?: RegExp
}

const runningHosts: readonly Host[] = [
  { name: 'Next.js', packages: ['next'] },
  { name: 'Nuxt', packages: ['nuxt', 'nuxt3'] },
  { name: 'SvelteKit', packages: ['@sveltejs/kit'] },
  { name: 'Astro', packages: ['astro'] },
  { name: 'Remix', packages: ['@remix-run/dev'] },
  { name: 'React Router', packages: ['@react-router/dev'] },
  { name: 'SolidStart', packages: ['@solidjs/start'] },
  { name: 'Qwik', packages: ['@builder.io/qwik'] },
  { name: 'Gatsby', packages: ['gatsby'] },
  { name: 'Docusaurus', packages: ['@docusaurus/core'] },
  { name: 'React Scripts', packages: ['react-scripts'] },
  { name: 'Vue CLI', packages: ['@vue/cli-service'] },
  { name: 'Angular', packages: ['@angular/core'], file: /^angular\.json$/ },
  { name: 'Ember', packages: ['ember-cli', 'ember-source'] },
  { name: 'Parcel', packages: ['parcel'] },
  { name: 'React Native', packages: ['react-native', 'expo'] },
  { name: 'NativeScript', packages: ['@nativescript/core'] },
  { name: 'Electron', packages: ['electron'] },
  { name: 'NW.js', packages: ['nw'] },
  { name: 'Workers', packages: ['wrangler', '@cloudflare/workers-types'], file: /^wrangler\.(?:toml|jsonc?)$/ },
  { name: 'Deno', file: /^deno\.jsonc?$/ },
  {
    name: 'a serverless platform',
    file: /^(?:serverless\.(?:ya?ml|[jt]s)|netlify\.toml|vercel\.json|firebase\.json|samconfig\.toml)$/,
  },
]

/** Beginnings of names whose values compilers put into the code. */
const inlined =
  /^(?:NEXT_PUBLIC_|EXPO_PUBLIC_|REACT_APP_|NUXT_PUBLIC_|GATSBY_|VUE_APP_|NG_APP_|STORYBOOK_|PUBLIC_|VITE_)/

/** Calls that run a function elsewhere, by its text: in a browser that is driven, or in a worker. */
const runsText =
  /^(?:evaluate|evaluateHandle|evaluateOnNewDocument|evaluateAll|\$eval|\$\$eval|waitForFunction|addInitScript|executeScript|executeAsyncScript|execute|exec|toString)$/

/**
 * Candidates in code that this machine does not start with Node, or not there: each says what runs it, since it is not shown that
 * settings reach it.
 */
export function heldElsewhere(
  candidates: readonly Candidate[],
  code: ProjectCode,
  { read }: Pick<Target, 'read'>,
  paths: readonly string[],
  starts: readonly Start[],
): readonly Candidate[] {
  const manifest = manifestFacts(read('package.json') ?? '')
  const names = new Set(paths)
  const host = runningHosts.find(
    ({ packages = [], file }) =>
      packages.some((each) => manifest.packages.has(each)) || (file && [...names].some((path) => file.test(path))),
  )
  const entries = starts.filter(isOfNode).flatMap(({ program }) => program.modules)
  const started = new Set(entries.flatMap((entry) => [...code.reachedFrom(entry, 'possible')]))
  const clients = new Set(
    candidates
      .flatMap(({ sites }) => sites.map(({ path }) => path))
      .filter((path) => isDirected(code.module(path), 'use client')),
  )
  const whyAt = (site: Finding): string | undefined => {
    const { path, variable } = site
    if (/^(?:script|container|python|markup)$/.test(site.form) || site.page) return undefined
    if (variable && variable.given !== true && inlined.test(variable.name))
      return `a compiler puts the value of ${variable.name} into the code`
    if (clients.has(path)) return `${path} runs in a page ('use client')`
    if (isHandedOn(site, code)) return `a function of ${path} is handed on as text, and runs elsewhere`
    const edge = edgeIn(code.module(path))
    if (edge !== undefined) return `${path} runs on the edge (${edge})`
    if (started.has(path)) return undefined
    if (host) return `${path} is run by ${host.name}, in its own way`
    return manifest.isLibrary ? `other projects run ${path}, which is part of a published package` : undefined
  }
  return candidates.map((candidate) => {
    if (candidate.blocked !== undefined || candidate.unproved !== undefined) return candidate
    const why = candidate.sites.map(whyAt).find((each) => each !== undefined)
    if (why === undefined) return candidate
    const { name } = candidate
    return {
      ...candidate,
      unproved: `It is not shown that settings reach it: ${why}. To move it anyway, run: mappa lift --only ${name} --unproved`,
    }
  })
}

function manifestFacts(text: string): { readonly packages: ReadonlySet<string>; readonly isLibrary: boolean } {
  try {
    const data = JSON.parse(text) as Readonly<Record<string, unknown>>
    const sections = ['dependencies', 'devDependencies', 'peerDependencies', 'optionalDependencies']
    const packages = new Set(sections.flatMap((section) => Object.keys((data[section] ?? {}) as object)))
    const isPublished = typeof data.version === 'string' && data.private !== true
    const isTaken = ['main', 'module', 'exports', 'browser'].some((each) => data[each] !== undefined)
    return { packages, isLibrary: isPublished && isTaken && data.bin === undefined }
  } catch {
    return { packages: new Set(), isLibrary: false }
  }
}

/** Tells whether Node itself runs a start, or a tool that only compiles for it. */
function isOfNode({ program: { at, packages } }: Start): boolean {
  return at?.isNode === true || packages.length === 0 || packages.every((each) => nodeTools.test(each))
}

const nodeTools =
  /(?:^|\/)node_modules\/(?:tsx|ts-node|ts-node-dev|nodemon|node-dev|pm2|forever|cross-env|concurrently|c8|nyc)\//

function isDirected(module: CodeModule | undefined, directive: string): boolean {
  return (
    module?.programs.some((file) =>
      nodesIn((file.program as Node | undefined)?.directives).some(({ value }) => (value as Node).value === directive),
    ) === true
  )
}

/** How a module says that it runs on the edge: `export const runtime = 'edge'`, `export const config = { runtime: 'edge' }`. */
function edgeIn(module: CodeModule | undefined): string | undefined {
  for (const name of ['runtime', 'config']) {
    const exported = module?.exported(name)
    if (!module || !exported || !('node' in exported)) continue
    const { node } = exported
    const declarator = node.type === 'Identifier' ? module.bindings.of(node)?.node : undefined
    const init = isNode(declarator?.init) ? declarator.init : undefined
    const member = nodesIn(init?.properties).find(({ key }) => identifierIn(key) === 'runtime')?.value
    const value = init?.type === 'StringLiteral' ? init.value : isNode(member) ? member.value : undefined
    if (typeof value === 'string' && /edge/.test(value)) return `runtime: '${value}'`
  }
  return undefined
}

/** Tells whether a function around a place is handed on as text. */
function isHandedOn({ path, start, end, variable }: Finding, code: ProjectCode): boolean {
  const module = code.module(path)
  const node = module && (code.nodeAt(module, { start, end }) ?? (variable && code.nodeAt(module, variable.bare)))
  const spot = module && node ? code.useAt(module, node) : undefined
  if (!module || !spot) return false
  return spot.parents.some((each, at) => {
    if (!/Function/.test(each.type)) return false
    const parent = spot.parents[at - 1]
    const id = isNode(each.id)
      ? each.id
      : parent?.type === 'VariableDeclarator' && isNode(parent.id)
        ? parent.id
        : undefined
    const uses = id?.type === 'Identifier' ? (module.bindings.of(id)?.uses ?? []) : []
    return [{ node: each, parents: spot.parents.slice(0, at) }, ...uses].some(isMadeText)
  })
}

/** `page.evaluate(f)`, `f.toString()`, `String(f)`, `` `(${f})()` ``, `'(' + f + ')()'` */
function isMadeText({ node, parents }: NameUse): boolean {
  const parent = parents.at(-1)
  if (!parent) return false
  if (parent.type === 'TemplateLiteral') return true
  if (parent.type === 'BinaryExpression') return parent.operator === '+'
  if (/^(?:Optional)?MemberExpression$/.test(parent.type))
    return parent.object === node && identifierIn(parent.property) === 'toString'
  if (!/^(?:Optional)?CallExpression$/.test(parent.type) || !nodesIn(parent.arguments).includes(node)) return false
  const called = parent.callee as Node
  return identifierIn(called) === 'String' || (called.type !== 'Identifier' && runsText.test(lastName(called) ?? ''))
}
