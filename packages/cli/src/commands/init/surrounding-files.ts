import { parseExpression } from '@babel/parser'
import MagicString from 'magic-string'
import type { Node } from '../../code/parse.js'
import { nodesIn } from '../../code/parse.js'
import { withIgnoreRules } from '../../edits/ignore.js'
import type { FileChange } from '../../terminal/diff.js'

type ReadFile = (path: string) => string | undefined

/** Rules that keep this machine's layers out of git, and out of what a container is built from. */
export function ignoreFiles(read: ReadFile, versioned: boolean): FileChange[] {
  const isBuilt = ['Dockerfile', 'Containerfile'].some((name) => read(name) !== undefined)
  const wanted = [
    ...(versioned || read('.gitignore') !== undefined ? ['.gitignore'] : []),
    ...(isBuilt || read('.dockerignore') !== undefined ? ['.dockerignore'] : []),
  ]
  return wanted.flatMap((path) => {
    const before = read(path)
    const after = withIgnoreRules(before)
    return after === undefined ? [] : [{ path, before: before ?? null, after }]
  })
}

/** The script by which a package checks its settings; nothing if a script runs `mappa` already, or there is not a package. */
export function checkScriptChange(read: ReadFile): FileChange[] {
  const path = 'package.json'
  const before = read(path)
  if (before === undefined || /"[^"]*\bmappa (?:check|with)\b/.test(before)) return []
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
