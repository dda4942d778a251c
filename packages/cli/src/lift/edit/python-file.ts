import MagicString from 'magic-string'
import { cellsIn, type NotebookCell } from '../../code/notebook.js'
import type { Candidate, Finding } from '../../guess/finding.js'
import type { LiftedFile, Target } from '../change.js'

/** A file in Python, or a notebook, that takes values from its environment; everything else stays byte for byte. */
export function pythonChange(path: string, candidates: readonly Candidate[], { read }: Target): LiftedFile {
  const before = read(path) ?? ''
  const code = new MagicString(before)
  const sites = candidates.flatMap(({ name, sites }) =>
    sites.filter((site) => site.path === path).map((site) => ({ name, site })),
  )
  const isNotebook = path.endsWith('.ipynb')
  const written = (text: string) => (isNotebook ? JSON.stringify(text).slice(1, -1) : text)
  for (const { name, site } of sites) code.overwrite(site.start, site.end, written(taken(name, site)))
  if (isNotebook)
    importInCells(
      code,
      cellsIn(before),
      sites.map(({ site }) => site),
    )
  else if (!importsOs.test(before)) {
    const at = afterHead(before)
    code.appendLeft(at, `import os\n${/^(?:import|from)\b/.test(before.slice(at)) ? '' : '\n'}`)
  }
  return { path, before, after: code.toString(), secret: false }
}

/** In brackets where it has parts: what is behind, such as `.format(…)`, is about the whole. */
function taken(name: string, { lead, rest }: Finding): string {
  const value = `os.environ["${name}"]`
  const parts = [lead && JSON.stringify(lead), value, rest && JSON.stringify(rest)].filter((part) => part !== '')
  return parts.length === 1 ? value : `(${parts.join(' + ')})`
}

const importsOs = /^[ \t]*import[ \t]+(?:[\w., \t]*,[ \t]*)?os(?:[ \t]*,|[ \t]*$|[ \t]*#)/m

/** A longer head is data, and would need a stack as deep. Characters. */
const headMax = 100_000

/** Behind what must come first: a hashbang, comments, the module's text about itself, and `from __future__`. */
function afterHead(text: string): number {
  const head =
    /^(?:\uFEFF)?(?:[ \t]*(?:#[^\n]*)?\n)*(?:[rRuU]?(?:"""[\s\S]*?"""|'''[\s\S]*?'''|"[^"\n]*"|'[^'\n]*')[ \t]*\n(?:[ \t]*\n)*)?(?:from[ \t]+__future__[^\n]*\n(?:[ \t]*\n)*)*/.exec(
      text.slice(0, headMax),
    )
  return head?.[0].length ?? 0
}

/** The first cell that needs it gets the import, in front of its code. */
function importInCells(code: MagicString, cells: readonly NotebookCell[], sites: readonly Finding[]) {
  if (cells.some((cell) => importsOs.test(cell.code))) return
  const first = cells.find(({ offsets }) =>
    sites.some(({ start }) => start >= (offsets[0] ?? 0) && start < (offsets.at(-1) ?? 0)),
  )
  const at = first?.offsets[0]
  if (at !== undefined) code.appendLeft(at, 'import os\\n')
}
