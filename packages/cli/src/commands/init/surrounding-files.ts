import { parseExpression } from '@babel/parser'
import MagicString from 'magic-string'
import type { Node } from '../../code/parse.js'
import { nodesIn } from '../../code/parse.js'
import { withIgnoreRules } from '../../edits/ignore.js'
import { scriptsOf } from '../../starts/manifest.js'
import type { FileChange } from '../../terminal/diff.js'

/** A script, by its name, and its new command. */
type NewCommand = { readonly script: string; readonly command: string }
type ReadFile = (path: string) => string | undefined

/** Rules that keep this machine's layers out of git, and out of what a container is built from. */
export function ignoreFiles(read: ReadFile, versioned: boolean, shared: ReadonlySet<string>): FileChange[] {
  const isBuilt = ['Dockerfile', 'Containerfile'].some((name) => read(name) !== undefined)
  const wanted = [
    ...(versioned || read('.gitignore') !== undefined ? ['.gitignore'] : []),
    ...(isBuilt || read('.dockerignore') !== undefined ? ['.dockerignore'] : []),
  ]
  return wanted.flatMap((path) => {
    const before = read(path)
    const open = path === '.gitignore' && shared.size > 0 ? withoutRulesFor(before ?? '', shared) : before
    const after = withIgnoreRules(open) ?? open
    return after === undefined || after === before ? [] : [{ path, before: before ?? null, after }]
  })
}

/** Ignore rules without those by which git leaves out shared layer files. */
function withoutRulesFor(text: string, shared: ReadonlySet<string>): string {
  const isRule = (line: string) => [...shared].some((path) => rulesFor(path).includes(line.trim()))
  return text
    .split(/(?<=\n)/)
    .filter((line) => !isRule(line))
    .join('')
}

/** The ways in which people write a rule for a layer file at the root. */
const rulesFor = (path: string) => [path, `/${path}`, `**/${path}`, '.env*', '.env.*', '*.env', '**/.env*']

/** The script by which a package checks its settings; nothing if a script runs `mappa` already, or there is not a package. */
export function checkScriptChange(read: ReadFile, changed: readonly NewCommand[]): FileChange[] {
  const path = 'package.json'
  const text = read(path)
  if (text === undefined) return []
  const before = withCommands(text, changed)
  const [more] = /"[^"]*\bmappa (?:check|with)\b/.test(text) ? [] : checkScriptIn(path, before)
  const after = more?.after ?? before
  return after === text ? [] : [{ path, before: text, after }]
}

/** A manifest with other commands for some scripts. */
function withCommands(text: string, changed: readonly NewCommand[]): string {
  const edited = new MagicString(text)
  for (const { name, start, end } of scriptsOf(text)) {
    const other = changed.find(({ script }) => script === name)
    if (other) edited.overwrite(start, end, JSON.stringify(other.command))
  }
  return edited.toString()
}

function checkScriptIn(path: string, before: string): FileChange[] {
  try {
    const document = parseExpression(before) as unknown as Node
    const scripts = nodesIn(document.properties).find(({ key }) => (key as Node).value === 'scripts')?.value as
      | Node
      | undefined
    const code = new MagicString(before)
    const own = '"settings": "mappa check"'
    const lineEnd = before.includes('\r\n') ? '\r\n' : '\n'
    const first = nodesIn(document.properties)[0]
    // On one line it stays on one.
    if (!before.slice(document.start, document.end).includes('\n')) {
      const last = nodesIn((scripts ?? document).properties).at(-1)
      const text = scripts ? own : `"scripts": { ${own} }`
      if (last) code.appendLeft(last.end, `, ${text}`)
      else code.appendLeft((scripts ?? document).start + 1, ` ${text} `)
      return [{ path, before, after: code.toString() }]
    }
    const indent = first ? (/(?:^|\n)([ \t]*)$/.exec(before.slice(0, first.start))?.[1] ?? '  ') : '  '
    if (!scripts) {
      const last = nodesIn(document.properties).at(-1)
      const text = `${indent}"scripts": {${lineEnd}${indent}${indent}${own}${lineEnd}${indent}}`
      if (last) code.appendLeft(last.end, `,${lineEnd}${text}`)
      else code.overwrite(document.start, document.end, `{${lineEnd}${text}${lineEnd}}`)
    } else {
      const last = nodesIn(scripts.properties).at(-1)
      if (last) code.appendLeft(last.end, `,${lineEnd}${indent}${indent}${own}`)
      else code.overwrite(scripts.start, scripts.end, `{${lineEnd}${indent}${indent}${own}${lineEnd}${indent}}`)
    }
    return [{ path, before, after: code.toString() }]
  } catch {
    return []
  }
}

/** A start for CI, where the project has workflows: what a clone alone can be held to. */
export function workflowChange(read: ReadFile, hasWorkflows: boolean): FileChange[] {
  const path = '.github/workflows/settings.yml'
  if (!hasWorkflows || read(path) !== undefined) return []
  const after = `# Checks what a fresh clone has. Needs no secret.
name: settings
on: [push, pull_request]
jobs:
  check:
    runs-on: ubuntu-latest
    steps:
      - uses: actions/checkout@v4
      - uses: actions/setup-node@v4
        with: { node-version: 22 }
      - run: npm ci
      - run: npx mappa check --as-cloned
`
  return [{ path, before: null, after }]
}
