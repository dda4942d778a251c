import MagicString from 'magic-string'
import { readLayer } from 'mappa'
import type { Candidate } from './candidates.js'
import type { Finding } from './find.js'
import { isNode, type Node, parseFile, walk } from './parse.js'

/** A file before and after; null if it is not there yet. */
export interface Change {
  readonly path: string
  readonly before: string | null
  readonly after: string
  /** Whether it holds secrets. */
  readonly secret: boolean
}

/** What moving settings has to know of a project. */
export interface Target {
  /** The text of a file, by its path from the root; undefined if it is not there. */
  readonly read: (path: string) => string | undefined
  /** The legend's file name, if there is one. */
  readonly legendFile: string | undefined
  /** Whether files ending in .js are modules of ECMAScript. */
  readonly isModule: boolean
}

/** A candidate that cannot be moved, and why. */
export interface Held {
  readonly candidate: Candidate
  readonly why: string
}

/** Candidates by whether they can be moved. */
export function sorted(
  candidates: readonly Candidate[],
  { legendFile }: Target,
): { readonly movable: readonly Candidate[]; readonly held: readonly Held[] } {
  const movable: Candidate[] = []
  const held: Held[] = []
  for (const candidate of candidates) {
    const why = whyHeld(candidate, legendFile)
    if (why === undefined) movable.push(candidate)
    else held.push({ candidate, why })
  }
  return { movable, held }
}

function whyHeld({ blocked, reach, sites }: Candidate, legendFile: string | undefined): string | undefined {
  if (blocked !== undefined) return blocked
  if (reach === 'browser')
    return 'It is used in the browser: declare it with reach browser, and take it from virtual:mappa/settings.'
  if (sites.some(({ path }) => /\.(?:html?|vue|svelte)$/.test(path)))
    return 'It stands in the script of a page or a component, which is not edited.'
  if (legendFile?.endsWith('.json')) return 'The legend is JSON, which is not edited.'
  return undefined
}

/** Every change that moves the candidates: code, settings module, legend, layers and ignore rules. */
export function changesFor(candidates: readonly Candidate[], target: Target): Change[] {
  if (candidates.length === 0) return []
  const paths = [...new Set(candidates.flatMap(({ sites }) => sites.map(({ path }) => path)))]
  const typed = paths.every((path) => /\.[cm]?tsx?$/.test(path))
  const legendFile =
    target.legendFile ?? (typed ? 'mappa.legend.ts' : target.isModule ? 'mappa.legend.js' : 'mappa.legend.mjs')
  const module = settingsModule(paths, typed, target)
  return [
    ...paths.map((path) => codeChange(path, candidates, module, target)),
    ...(target.read(module) === undefined
      ? [{ path: module, before: null, after: settingsText(module, legendFile), secret: false }]
      : []),
    legendChange(legendFile, candidates, target),
    ...layerChanges(candidates, target),
    ...ignoreChange(candidates, target),
  ]
}

// -- code --------------------------------------------------------------------------------------------------------

/** The name under which code sees all settings; another one where a file has that name already. */
function localName(text: string): string {
  return /\bsettings\b/.test(text) ? 'mappaSettings' : 'settings'
}

function codeChange(path: string, candidates: readonly Candidate[], module: string, target: Target): Change {
  const before = target.read(path) ?? ''
  const code = new MagicString(before)
  const local = localName(before)
  for (const { name, sites } of candidates)
    for (const site of sites)
      if (site.path === path) code.overwrite(site.start, site.end, replacement(`${local}.${name}`, site))
  insertImport(code, path, before, module, local, target)
  return { path, before, after: code.toString(), secret: false }
}

function replacement(read: string, { form, kind, lead, rest }: Finding): string {
  if (form === 'template-text') return `\${${read}}`
  if (form === 'number') return read
  // What was text stays text.
  const own = kind === 'port' ? `String(${read})` : read
  const expression =
    rest === '' && lead === '' ? own : `\`${lead}\${${own}}${rest.replace(/[`\\]|\$(?=\{)/g, '\\$&')}\``
  return form === 'markup' ? `{${expression}}` : expression
}

function insertImport(
  code: MagicString,
  path: string,
  text: string,
  module: string,
  local: string,
  target: Target,
): void {
  const parsed = parseFile({ path, text })
  const program = 'programs' in parsed ? (parsed.programs[0]?.program as Node | undefined) : undefined
  const body = ((program?.body as Node[] | undefined) ?? []).filter(isNode)
  const directives = ((program?.directives as Node[] | undefined) ?? []).filter(isNode)
  const imports = body.filter(({ type }) => type === 'ImportDeclaration')
  const isEsm =
    imports.length > 0 ||
    body.some(({ type }) => type.startsWith('Export')) ||
    /\.m[jt]s$/.test(path) ||
    (!path.endsWith('.cjs') && target.isModule)
  const bare = imports.some(({ source }) => /^\.\.?\/(?:.*\/)?[^./]+$/.test(String((source as Node).value)))
  const specifier = relative(path, bare ? module.replace(/\.[cm]?[jt]s$/, '') : module.replace(/\.([cm]?)ts$/, '.$1js'))
  const quote = text.includes("'") || !text.includes('"') ? "'" : '"'
  const end = /;[ \t]*(?:\r?\n|$)/.test(text.slice(0, 2000)) ? ';' : ''
  const names = local === 'settings' ? 'settings' : isEsm ? `settings as ${local}` : `settings: ${local}`
  const line = isEsm
    ? `import { ${names} } from ${quote}${specifier}${quote}${end}`
    : `const { ${names} } = require(${quote}${specifier}${quote})${end}`
  const lineEnd = text.includes('\r\n') ? '\r\n' : '\n'
  const requires = body.filter(
    (node) => node.type === 'VariableDeclaration' && /\brequire\(/.test(text.slice(node.start, node.end)),
  )
  const after = (isEsm ? imports : requires).at(-1) ?? directives.at(-1)
  if (after) code.appendLeft(after.end, lineEnd + line)
  else {
    const hashbang = /^#!.*\r?\n/.exec(text)?.[0].length ?? 0
    code.appendLeft(hashbang, line + lineEnd + (/^\r?\n/.test(text.slice(hashbang)) ? '' : lineEnd))
  }
}

function relative(from: string, to: string): string {
  const own = from.split('/').slice(0, -1)
  const other = to.split('/')
  while (own.length > 0 && own[0] === other[0]) {
    own.shift()
    other.shift()
  }
  return `${own.length > 0 ? '../'.repeat(own.length) : './'}${other.join('/')}`
}

// -- settings module and legend ----------------------------------------------------------------------------------

/** Where the settings module is, or is to be: in the folder that all the code is in. */
function settingsModule(paths: readonly string[], typed: boolean, { read, isModule }: Target): string {
  const folder = paths.every((path) => path.startsWith('src/')) ? 'src/' : ''
  const ending = typed ? '.ts' : isModule ? '.js' : '.mjs'
  const usual = `${folder}settings${ending}`
  const there = read(usual)
  return there === undefined || /\bsettle(?:Async)?\(/.test(there) ? usual : `${folder}mappa-settings${ending}`
}

function settingsText(module: string, legendFile: string): string {
  return `import { settle } from 'mappa/node'
import definition from '${relative(module, legendFile.replace(/\.ts$/, '.js'))}'

export const settings = settle(definition, { from: import.meta.url })
`
}

function entryText({ name, kind, type, secret }: Candidate): string {
  const words = [
    `type: '${type}'`,
    ...(kind === 'address' ? ["format: 'uri'"] : []),
    ...(secret ? ['secret: true'] : []),
  ]
  return `${name}: { ${words.join(', ')} },`
}

function legendChange(path: string, candidates: readonly Candidate[], { read }: Target): Change {
  const before = read(path)
  const entries = candidates.map(entryText)
  if (before === undefined) {
    const after = `import { legend } from 'mappa'\n\nexport default legend({\n${entries.map((entry) => `  ${entry}\n`).join('')}})\n`
    return { path, before: null, after, secret: false }
  }
  const object = legendObject(path, before)
  if (!object) throw new Error(`${path} has no legend({ … }) that entries could be added to.`)
  const code = new MagicString(before)
  const last = (object.properties as Node[]).at(-1)
  const indent = last ? (/[ \t]*$/.exec(before.slice(0, last.start))?.[0] ?? '  ') : '  '
  const lineEnd = before.includes('\r\n') ? '\r\n' : '\n'
  const text = entries.map((entry) => indent + entry).join(lineEnd)
  if (last) {
    const comma = /^\s*,/.exec(before.slice(last.end))?.[0]
    code.appendLeft(last.end + (comma?.length ?? 0), `${comma === undefined ? ',' : ''}${lineEnd}${text}`)
  } else code.appendLeft(object.start + 1, `${lineEnd}${text}${lineEnd}`)
  return { path, before, after: code.toString(), secret: false }
}

/** The object of entries in a legend's code. */
function legendObject(path: string, text: string): Node | undefined {
  const parsed = parseFile({ path, text })
  let found: Node | undefined
  for (const program of 'programs' in parsed ? parsed.programs : [])
    walk(program, (node) => {
      const callee = node.type === 'CallExpression' ? (node.callee as Node) : undefined
      const [first] = (node.arguments as Node[] | undefined) ?? []
      if (callee?.type === 'Identifier' && callee.name === 'legend' && first?.type === 'ObjectExpression')
        found ??= first
    })
  return found
}

// -- layers and ignore rules -------------------------------------------------------------------------------------

/** Secrets go to this machine's own layers, and the rest to the shared ones; what differs in a stage to that stage's. */
function layerChanges(candidates: readonly Candidate[], { read }: Target): Change[] {
  const layers = new Map<string, { readonly secret: boolean; readonly values: Map<string, string> }>()
  const put = (stage: string | undefined, { name, secret }: Candidate, value: string) => {
    const path = `.env${stage === undefined ? '' : `.${stage}`}${secret ? '.local' : ''}`
    const layer = layers.get(path) ?? { secret, values: new Map() }
    layer.values.set(name, value)
    layers.set(path, layer)
  }
  for (const candidate of candidates) {
    put(undefined, candidate, candidate.value)
    for (const [stage, value] of Object.entries(candidate.stages)) put(stage, candidate, value)
  }
  return [...layers].map(([path, { secret, values }]) => {
    const before = read(path)
    const layer = readLayer(before ?? '')
    for (const [name, value] of values) layer.set(name, value)
    return { path, before: before ?? null, after: layer.toString(), secret }
  })
}

function ignoreChange(candidates: readonly Candidate[], { read }: Target): Change[] {
  if (!candidates.some(({ secret }) => secret)) return []
  const before = read('.gitignore')
  const rules = new Set((before ?? '').split(/\r?\n/).map((line) => line.trim()))
  const missing = ['.env.local', '.env.*.local'].filter(
    (rule) => !rules.has(rule) && !rules.has(`/${rule}`) && !rules.has('.env*') && !rules.has('.env.*'),
  )
  if (missing.length === 0) return []
  const gap = before === undefined || before === '' || before.endsWith('\n') ? '' : '\n'
  return [
    {
      path: '.gitignore',
      before: before ?? null,
      after: `${before ?? ''}${gap}${missing.join('\n')}\n`,
      secret: false,
    },
  ]
}
