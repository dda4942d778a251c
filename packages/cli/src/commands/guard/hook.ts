import { shellWord } from '../../terminal/escapes.js'

/** Guard's lines in a hook: one block for each project of a repository. */
interface Block {
  readonly begin: string
  readonly text: string
}

const end = '# mappa guard: end'

/** `root` is the project's, from the repository's top, where hooks start. */
function blockOf(root: string): Block {
  // A path may hold anything, also a line end.
  const begin = `# mappa guard: begin${root === '' ? '' : ` ${encodeURI(Buffer.from(root).toString())}`}`
  const folders = [...(root === '' ? [] : [`./${root}`]), '.']
  const places = folders.map((folder) => shellWord(`${folder}/node_modules/.bin/mappa`))
  const where = root === '' ? '' : ` --root=${shellWord(root)}`
  // npx would take a second to find the command. Anyone who has not installed it yet may commit.
  return {
    begin,
    text: `${begin}
(
  for mappa in ${places.join(' ')} "$(command -v mappa)"; do
    if [ -x "$mappa" ]; then exec "$mappa" guard --staged${where}; fi
  done
  echo 'mappa guard did not run: mappa is not installed here. Run: npm install' >&2
) || exit 1
${end}
`,
  }
}

/**
 * A pre-commit hook with a call of `guard` at its top, since what stands there may end with `exec` or `exit`; the rest stays as it
 * was. The same text if it is there; undefined for a hook in a language that is not a shell's.
 */
export function withGuard(before: string | undefined, root: string): string | undefined {
  const { begin, text } = blockOf(root)
  if (before === undefined || before === '') return `#!/bin/sh\n${text}`
  const rest = withoutBlock(before, begin)
  if (rest === before && guardCalls(before, root).length > 0) return before
  const [first = ''] = rest.split('\n', 1)
  if (!first.startsWith('#!')) return /^[\w.$"'/ -]*$|^#/.test(first) ? text + rest : undefined
  if (!/\b(?:ba|da|z|k|a)?sh\b/.test(first)) return undefined
  return `${first}\n${text}${rest.slice(first.length + 1)}`
}

/** The hook without what `withGuard` put in: null if nothing else is in it. */
export function withoutGuard(before: string, root: string): string | null {
  const rest = withoutBlock(before, blockOf(root).begin)
  return rest !== before && /^(?:#!\S*\s*)?$/.test(rest) ? null : rest
}

function withoutBlock(text: string, begin: string): string {
  const lines = text.split(/(?<=\n)/)
  const from = lines.findIndex((line) => line.trimEnd() === begin)
  const to = lines.findIndex((line, at) => at > from && line.trimEnd() === end)
  return from < 0 || to < 0 ? text : [...lines.slice(0, from), ...lines.slice(to + 1)].join('')
}

/** Where a command may begin in a line of a shell script. */
const call =
  /(?:^|[;&|({]|\b(?:then|do|else|if|exec|command|npx|bunx|pnpm|yarn|npm exec|--)\s|!)\s*["']?(?:[^\s"';&|]*\/)?mappa["']?\s+guard\b([^\n;&|]*)/

/** Numbers of the lines, from 1, that run `guard` for a project and were not put in by `withGuard`. A mention of it does not count. */
export function guardCalls(text: string, root: string): readonly number[] {
  return text.split('\n').flatMap((line, at) => {
    const [, options] = call.exec(line.replace(/(?:^|\s)#.*$/, '')) ?? []
    if (options === undefined || /--(?:bundle|paths|install|uninstall|since)\b/.test(options)) return []
    return root === '' || line.includes(root) ? [at + 1] : []
  })
}
