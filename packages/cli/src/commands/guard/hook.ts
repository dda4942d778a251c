const [begin, end] = ['# mappa guard: begin', '# mappa guard: end']

/** Runs the project's own command, which npx would take a second to find; anyone who has not installed it yet may commit. */
function callOf(root: string): string {
  const folders = ['$PWD', ...(root === '' ? [] : [`$PWD/${root}`])].map((folder) => `${folder}/node_modules/.bin:`)
  const where = root === '' ? '' : ` --root '${root.replaceAll("'", "'\\''")}'`
  return `${begin}
(
  PATH="${folders.join('').replace(/[\\"`]/g, '\\$&')}$PATH"
  if command -v mappa >/dev/null 2>&1; then mappa guard --staged${where}
  else echo 'mappa guard did not run: mappa is not installed here. Run: npm install' >&2
  fi
) || exit 1
${end}
`
}

/**
 * A pre-commit hook with a call of `guard` at its top, since what stands there may end with `exec` or `exit`; the rest stays as it
 * was. `root` is the project's, from the repository's top. The same text if it is there; undefined for a hook in a language
 * that is not a shell's.
 */
export function withGuard(before: string | undefined, root: string): string | undefined {
  const own = callOf(root)
  if (before === undefined || before === '') return `#!/bin/sh\n${own}`
  if (before.includes('mappa guard')) return before
  const [first = ''] = before.split('\n', 1)
  if (!first.startsWith('#!')) return /^[\w.$"'/ -]*$|^#/.test(first) ? own + before : undefined
  if (!/\b(?:ba|da|z|k|a)?sh\b/.test(first)) return undefined
  const rest = before.slice(first.length + 1)
  return `${first}\n${own}${rest}`
}
