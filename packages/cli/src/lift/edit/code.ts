import MagicString from 'magic-string'
import { grouped } from '../../code/grouped.js'
import { isNode, type Node, parseFile } from '../../code/parse.js'
import type { Candidate, Finding, Range } from '../../guess/finding.js'
import { staysAround, variableRead } from '../../guess/variable-entry.js'
import type { LiftedFile, Target } from '../change.js'
import { relative } from './paths.js'
import { type Form, specifierFor } from './settings-form.js'

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
  const names = readNames(before, sites, inPage)
  for (const { candidate, finding } of sites) {
    const read = names.get(candidate.name) as string
    const stays = finding.variable && staysAround(finding.variable, candidate.entry)
    if (!stays) for (const { start, end } of finding.dropped ?? []) code.remove(start, end)
    if (finding.form === 'pattern') continue
    const { start, end, text } = replacement(read, candidate, finding)
    code.overwrite(start, end, text)
    const { again } = finding.variable ?? {}
    if (again && stays) code.overwrite(again.start, again.end, text)
  }
  editPatterns(code, before, sites, names)
  const parsed = parseFile({ path, text: before })
  const programs = 'programs' in parsed ? parsed.programs : []
  for (const program of programs) {
    const own = sites.filter(({ finding }) => finding.start >= program.start && finding.end <= program.end)
    if (own.length === 0) continue
    const wanted = new Set(own.map(({ candidate }) => candidate.name))
    const taken: Import = inPage
      ? {
          source: 'virtual:mappa/settings',
          names: [...wanted].map((name) => ({ name, local: names.get(name) as string })),
        }
      : { source: form.module, names: [{ name: 'settings', local: localName(before) }] }
    const firstUse = own.reduce((least, { finding }) => Math.min(least, finding.start), before.length)
    insertImport(code, { path, text: before, program: program.program as Node, firstUse }, taken, form, target)
  }
  return { path, before, after: code.toString(), secret: false }
}

/** Tells how each setting is read in a file: `settings.NAME`, or in a page by a name of its own. */
function readNames(text: string, sites: readonly Site[], inPage: boolean): Map<string, string> {
  const local = localName(text)
  // const TILE_KEY = TILE_KEY would read itself; a member's name is not a name of the file's.
  const own = new Set(inPage ? text.match(/(?<![\w$'"]|(?<!\.\.)\.)[A-Za-z_$][\w$]*/g) : [])
  return new Map(
    sites.map(({ candidate: { name } }) => {
      if (!inPage) return [name, `${local}.${name}`]
      return [name, own.has(name) ? `${name}_SETTING` : name]
    }),
  )
}

/** The name under which code sees all settings; another one where a file has that name already. */
function localName(text: string): string {
  return /\bsettings\b/.test(text) ? 'mappaSettings' : 'settings'
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

/** `const { PORT = 4100, HOME } = process.env` becomes `const { HOME } = process.env, PORT = settings.PORT`. */
function editPatterns(code: MagicString, text: string, sites: readonly Site[], names: ReadonlyMap<string, string>) {
  const patterns = grouped(sites, ({ finding }) => finding.variable?.pattern?.start)
  for (const [start, own] of patterns) {
    const pattern = own[0]?.finding.variable?.pattern
    if (start === undefined || !pattern) continue
    const moved = new Set(own.map(({ finding }) => finding.variable?.pattern?.own))
    const kept = pattern.properties.filter((_, at) => !moved.has(at)).map(({ start, end }) => text.slice(start, end))
    const left = kept.length > 0 ? [`{ ${kept.join(', ')} } = ${text.slice(pattern.from.start, pattern.from.end)}`] : []
    const taken = own.flatMap(({ candidate, finding: { variable, literals } }) => {
      if (!variable?.pattern) return []
      const read = variableRead(names.get(candidate.name) as string, variable, candidate.entry)
      const [own] = candidate.entry.optional ? literals : []
      return [`${variable.pattern.local} = ${read}${own ? ` ?? ${text.slice(own.start, own.end)}` : ''}`]
    })
    code.overwrite(pattern.start, pattern.end, [...left, ...taken].join(', '))
  }
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
  const quote = own.includes("'") || !own.includes('"') ? "'" : '"'
  const end = /;[ \t]*(?:\r?\n|$)/.test(own.slice(0, 2000)) ? ';' : ''
  const as = isEsm ? ' as ' : ': '
  const names = taken.names.map(({ name, local }) => (name === local ? name : name + as + local)).join(', ')
  const line = isEsm
    ? `import { ${names} } from ${quote}${specifier}${quote}${end}`
    : `const { ${names} } = require(${quote}${specifier}${quote})${end}`
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
