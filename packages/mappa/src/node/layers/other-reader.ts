/** The remedy where another reader came first: the switch of the runtime that did it, if that is known. */
export function otherReader(): string | undefined {
  const { versions, execArgv, env } = process
  const given = [...execArgv, env.NODE_OPTIONS ?? ''].join(' ')
  if (versions.bun !== undefined)
    return 'Bun loads it: start Bun with --no-env-file, or write env = false in bunfig.toml.'
  if (/--env-file/.test(given)) return `${versions.deno === undefined ? 'Node' : 'Deno'} loads it: remove --env-file.`
  // The mark that a page framework's own reader leaves behind.
  if (env.__NEXT_PROCESSED_ENV !== undefined)
    return 'Next.js loads it. Run it inside mappa with, which comes first, for example: mappa with staging -- next build'
  return undefined
}
