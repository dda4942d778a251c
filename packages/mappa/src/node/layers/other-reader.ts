/** The remedy where another reader came first: the switch of the runtime that did it, if that is known. */
export function otherReader(): string | undefined {
  const { versions, execArgv, env } = process
  const given = [...execArgv, env.NODE_OPTIONS ?? ''].join(' ')
  if (versions.bun !== undefined)
    return 'Bun loads it: start Bun with --no-env-file, or write env = false in bunfig.toml.'
  if (/--env-file/.test(given)) return `${versions.deno === undefined ? 'Node' : 'Deno'} loads it: remove --env-file.`
  return undefined
}
