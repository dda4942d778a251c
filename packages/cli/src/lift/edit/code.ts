import MagicString from 'magic-string'
import { grouped } from '../../code/grouped.js'
import { isNode, type Node, nodesIn, parseFile, walk } from '../../code/parse.js'
import { lineOf } from '../../code/place.js'
import { identifierIn } from '../../code/reads.js'
import type { Candidate, Finding, Range } from '../../guess/finding.js'
import { staysAround, variableRead } from '../../guess/variable-entry.js'
import { importedFile } from '../../starts/run-through.js'
import type { LiftedFile, Target } from '../change.js'
import { relative } from './paths.js'
import { type Form, specifierFor } from './settings-form.js'
import { isStillModule, withoutUnused } from './unused.js'

/** A candidate's place in one file. */
interface Site {
  readonly candidate: Candidate
  readonly finding: Finding
}

/** A file of code, with settings read where their values stood. */
export function codeChange(path: string, candidates: readonly Candidate[], form: Form, target: Target): LiftedFile {
  const before = target.read(path) ?? ''
  const code = new MagicString(before)
  const sites = candidates.flatMap((candidate) =>
    candidate.sites.filter((site) => site.path === path).map((finding) => ({ candidate, finding })),
  )
  const inPage = sites.some(({ finding }) => finding.page)
  const parsed = parseFile({ path, text: before })
  const programs = 'programs' in parsed ? parsed.programs : []
  const fileOf = (source: string) => importedFile(path, source, [], (each) => target.read(each) !== undefined)
  const isOurs = (source: unknown) => typeof source === 'string' && fileOf(source) === form.module
  // An earlier move may have imported them.
  const there = inPage ? undefined : settingsImported(programs, isOurs)
  const local = inPage ? '' : (there ?? localName(programs))
  // const FEED_URL = '…' of a page becomes the import of that name.
  const imported = inPage ? importedInstead(programs, sites) : new Map<Finding, Node>()
  const names = readNames(before, sites, local, new Set([...imported.keys()].map((each) => each.start)))
  for (const { candidate, finding } of sites) {
    const read = names.get(candidate.name) as string
    const stays = finding.variable && staysAround(finding.variable, candidate.entry)
    if (!stays) for (const { start, end } of finding.dropped ?? []) code.remove(start, end)
    if (finding.form === 'pattern') continue
    const declared = imported.get(finding)
    if (declared) {
      // Its comment is in the legend now.
      const range = lineOf(declared, before, candidate.said?.description !== undefined)
      code.remove(range.start, range.end)
      continue
    }
    const { start, end, text } = replacement(read, candidate, finding)
    code.overwrite(start, end, text)
    const { again } = finding.variable ?? {}
    if (again && stays) code.overwrite(again.start, again.end, text)
  }
  editPatterns(code, before, sites, names, local)
  for (const program of programs) {
    const own = sites.filter(({ finding }) => finding.start >= program.start && finding.end <= program.end)
    if (own.length === 0 || there !== undefined) continue
    const wanted = new Set(own.map(({ candidate }) => candidate.name))
    const taken: Import = inPage
      ? {
          source: 'virtual:mappa/settings',
          names: [...wanted].map((name) => ({ name, local: names.get(name) as string })),
        }
      : { source: form.module, names: [{ name: 'settings', local }] }
    const firstUse = own.reduce((least, { finding }) => Math.min(least, finding.start), before.length)
    insertImport(code, { path, text: before, program: program.program as Node, firstUse }, taken, form, target)
  }
  const isStill = (source: string) => {
    const imported = fileOf(source)
    return imported !== undefined && isStillModule(imported, target.read(imported) ?? '')
  }
  return { path, before, after: withoutUnused(path, before, code.toString(), isStill), secret: false }
}

/** Declarations of constants that have the name of their setting, where an import can take their place: by what stands in them. */
function importedInstead(programs: readonly Node[], sites: readonly Site[]): ReadonlyMap<Finding, Node> {
  const found = new Map<Finding, Node>()
  for (const node of programs.flatMap((file) => nodesIn((file.program as Node | undefined)?.body))) {
    const [declarator, ...more] = node.type === 'VariableDeclaration' ? nodesIn(node.declarations) : []
    const [id, init] = [declarator?.id, declarator?.init]
    if (node.kind !== 'const' || !isNode(id) || !isNode(init) || more.length > 0 || id.typeAnnotation) continue
    const site = sites.find(({ finding }) => finding.start === init.start && finding.end === init.end)
    if (!site || site.candidate.name !== id.name) continue
    const { finding } = site
    const own = sites.filter(({ candidate }) => candidate.name === id.name)
    if (
      own.length === 1 &&
      /^(?:string|number|boolean)$/.test(finding.form) &&
      finding.lead + finding.rest === '' &&
      !finding.frame
    )
      found.set(finding, node)
  }
  return found
}

/** The quotes of a file's imports, else those of most of its texts. */
function quoteIn(text: string): string {
  const imported = /\b(?:from|import|require\()\s*(["'])/.exec(text)?.[1]
  if (imported !== undefined) return imported
  const count = (quote: RegExp) => text.match(quote)?.length ?? 0
  return count(/"[^"'\n]*"/g) > count(/'[^"'\n]*'/g) ? '"' : "'"
}

/** Tells how each setting is read in a file: `settings.NAME`, or in a page by a name of its own. */
function readNames(
  text: string,
  sites: readonly Site[],
  local: string,
  imported: ReadonlySet<number>,
): Map<string, string> {
  const inPage = local === ''
  // const TILE_KEY = TILE_KEY would read itself; a member's name is not a name of the file's.
  const own = new Set(inPage ? text.match(/(?<![\w$'"]|(?<!\.\.)\.)[A-Za-z_$][\w$]*/g) : [])
  return new Map(
    sites.map(({ candidate: { name }, finding }) => {
      if (!inPage) return [name, `${local}.${name}`]
      return [name, own.has(name) && !imported.has(finding.start) ? `${name}_SETTING` : name]
    }),
  )
}

/** The name under which a file imports the settings already. */
function settingsImported(programs: readonly Node[], isOurs: (source: unknown) => boolean): string | undefined {
  for (const node of programs.flatMap((file) => nodesIn((file.program as Node | undefined)?.body))) {
    const [declarator] = nodesIn(node.declarations)
    const [first] = nodesIn((declarator?.init as Node | undefined)?.arguments)
    const isRequired = node.type === 'VariableDeclaration' && isNode(declarator?.id) && isOurs(first?.value)
    const taken = isRequired
      ? nodesIn((declarator.id as Node).properties).map(({ key, value }) => [key, value])
      : node.type === 'ImportDeclaration' && isOurs((node.source as Node).value)
        ? nodesIn(node.specifiers).map(({ imported, local }) => [imported, local])
        : []
    const own = taken.find(([name]) => identifierIn(name) === 'settings')
    if (own) return identifierIn(own[1])
  }
  return undefined
}

/** The name under which code sees all settings; another one where code has that name already, and not only for a member. */
function localName(programs: readonly Node[]): string {
  let isTaken = false
  for (const program of programs)
    walk(program, (node, parents) => {
      if (node.type !== 'Identifier' || node.name !== 'settings') return
      const parent = parents.at(-1)
      const isMember = /MemberExpression$/.test(parent?.type ?? '') && parent?.property === node && !parent?.computed
      const isKey =
        /Property$|Method$|Signature$/.test(parent?.type ?? '') && parent?.key === node && !parent?.shorthand
      isTaken ||= !isMember && !isKey
    })
  return isTaken ? 'mappaSettings' : 'settings'
}

function replacement(read: string, { entry }: Candidate, finding: Finding): Range & { readonly text: string } {
  const { start, end, form, kind, lead, rest, frame, variable } = finding
  if (variable) {
    if (staysAround(variable, entry)) return { ...variable.bare, text: read }
    return { start, end, text: variableRead(read, variable, entry) }
  }
  if (form === 'template-text') return { start, end, text: `\${${read}}` }
  // A text stays a text.
  const own = kind === 'port' && form !== 'number' ? `String(${read})` : form === 'list' ? `[...${read}]` : read
  const expression =
    rest === '' && lead === '' ? own : `\`${lead}\${${own}}${rest.replace(/[`\\]|\$(?=\{)/g, '\\$&')}\``
  const [before, behind] = frame ?? ['', '']
  return { start, end, text: before + (form === 'markup' ? `{${expression}}` : expression) + behind }
}

/**
 * `const { PORT = 4100, HOME } = process.env` becomes `const { HOME } = process.env, { PORT } = settings`. Where all of it moves, its lines
 * stay as they are; a page's settings have names of their own.
 */
function editPatterns(
  code: MagicString,
  text: string,
  sites: readonly Site[],
  names: ReadonlyMap<string, string>,
  local: string,
) {
  const patterns = grouped(sites, ({ finding }) => finding.variable?.pattern?.start)
  for (const [start, own] of patterns) {
    const pattern = own[0]?.finding.variable?.pattern
    if (start === undefined || !pattern) continue
    const moved = own.flatMap((site) => movedProperty(site, names, text))
    const isPlain = (each: MovedProperty) => local !== '' && each.read === `${local}.${each.name}`
    const gone = new Set(moved.map(({ at }) => at))
    if (gone.size === pattern.properties.length && moved.every(isPlain)) {
      for (const each of moved) {
        const range = pattern.properties[each.at] as Range
        code.overwrite(range.start, range.end, movedText(each))
      }
      code.overwrite(pattern.from.start, pattern.from.end, local)
      continue
    }
    const kept = pattern.properties.filter((_, at) => !gone.has(at)).map(({ start, end }) => text.slice(start, end))
    const left = kept.length > 0 ? [`{ ${kept.join(', ')} } = ${text.slice(pattern.from.start, pattern.from.end)}`] : []
    const plain = moved.filter(isPlain)
    const taken = plain.length > 0 ? [`{ ${plain.map(movedText).join(', ')} } = ${local}`] : []
    const others = moved
      .filter((each) => !isPlain(each))
      .map(({ local, read, fallback }) => `${local} = ${read}${fallback === undefined ? '' : ` ?? ${fallback}`}`)
    code.overwrite(pattern.start, pattern.end, [...left, ...taken, ...others].join(', '))
  }
}

/** A property of a destructuring that takes a setting from now on: which it is, and the fallback that stays in code. */
interface MovedProperty {
  readonly at: number
  readonly name: string
  readonly local: string
  readonly read: string
  readonly fallback: string | undefined
}

function movedProperty(
  { candidate, finding: { variable, literals } }: Site,
  names: ReadonlyMap<string, string>,
  text: string,
): MovedProperty[] {
  if (!variable?.pattern) return []
  const read = variableRead(names.get(candidate.name) as string, variable, candidate.entry)
  const [own] = candidate.entry.optional ? literals : []
  const fallback = own && text.slice(own.start, own.end)
  return [{ at: variable.pattern.own, name: candidate.name, local: variable.pattern.local, read, fallback }]
}

function movedText({ name, local, fallback }: MovedProperty): string {
  return `${name === local ? name : `${name}: ${local}`}${fallback === undefined ? '' : ` = ${fallback}`}`
}

interface Import {
  /** A path from the root, or the name of a module. */
  readonly source: string
  readonly names: readonly { readonly name: string; readonly local: string }[]
}

/**
 * One import in the file's own module style, behind those that are there in front of where it is used first: compiled to
 * CommonJS, imports run in the order in which they stand.
 */
function insertImport(
  code: MagicString,
  { path, text, program, firstUse }: { path: string; text: string; program: Node; firstUse: number },
  taken: Import,
  { specifiers }: Form,
  target: Target,
) {
  const body = ((program.body as Node[] | undefined) ?? []).filter(isNode)
  const directives = ((program.directives as Node[] | undefined) ?? []).filter(isNode)
  const imports = body.filter(({ type }) => type === 'ImportDeclaration')
  const isVirtual = taken.source.startsWith('virtual:')
  const isEsm =
    isVirtual ||
    imports.length > 0 ||
    body.some(({ type }) => type.startsWith('Export')) ||
    /\.(?:m[jt]s|html?|vue|svelte)$/.test(path) ||
    (!path.endsWith('.cjs') && target.isModule)
  const specifier = isVirtual ? taken.source : relative(path, specifierFor(taken.source, specifiers))
  const own = text.slice(program.start, program.end)
  const quote = quoteIn(own)
  const end = /;[ \t]*(?:\r?\n|$)/.test(own.slice(0, 2000)) ? ';' : ''
  const as = isEsm ? ' as ' : ': '
  const names = taken.names.map(({ name, local }) => (name === local ? name : name + as + local)).join(', ')
  // Code in the language of 2009 takes nothing apart.
  const declared = body.filter(({ type }) => type === 'VariableDeclaration')
  const isOld = taken.names.length === 1 && declared.length > 0 && declared.every(({ kind }) => kind === 'var')
  const keyword = isOld ? 'var' : 'const'
  const [first] = taken.names
  const line = isEsm
    ? `import { ${names} } from ${quote}${specifier}${quote}${end}`
    : `${keyword} ${isOld ? `${first?.local} =` : `{ ${names} } =`} require(${quote}${specifier}${quote})${isOld ? `.${first?.name}` : ''}${end}`
  const lineEnd = text.includes('\r\n') ? '\r\n' : '\n'
  const requires = body.filter(
    (node) => node.type === 'VariableDeclaration' && /\brequire\(/.test(text.slice(node.start, node.end)),
  )
  const before = (isEsm ? imports : requires).filter(({ end: each }) => each <= firstUse)
  const after = before.at(-1) ?? directives.at(-1)
  const indent = /(?:^|\n)([ \t]*)$/.exec(text.slice(0, (after ?? body[0])?.start))?.[1] ?? ''
  if (after) code.appendLeft(after.end, lineEnd + indent + line)
  else if (program.start > 0) {
    // In front of the comments of what comes first.
    const first = program.start + (/^\s*/.exec(text.slice(program.start))?.[0].length ?? 0)
    code.appendLeft(first, line + lineEnd + indent)
  } else {
    const hashbang = /^#!.*\r?\n/.exec(text)?.[0].length ?? 0
    code.appendLeft(hashbang, line + lineEnd + (/^\r?\n/.test(text.slice(hashbang)) ? '' : lineEnd))
  }
}
