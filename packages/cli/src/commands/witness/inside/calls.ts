import type { RawPlace } from '../protocol.js'

/** A call has Node itself behind it, and not code of the program. */
export const byNode = Symbol('by Node')

/** Mostly the nearest call is the one; code of the language itself may stand between. */
const [nearest, nearMax] = [2, 16]

/** The calls behind a function, the nearest first. */
export function callsBehind(call: unknown, most: number): readonly NodeJS.CallSite[] {
  const { prepareStackTrace, stackTraceLimit } = Error
  const holder: { stack?: unknown } = {}
  try {
    Error.stackTraceLimit = most
    Error.prepareStackTrace = sitesOnly
    Error.captureStackTrace(holder, call as () => void)
    return Array.isArray(holder.stack) ? holder.stack : []
  } catch {
    return []
  } finally {
    Error.stackTraceLimit = stackTraceLimit
    Error.prepareStackTrace = prepareStackTrace
  }
}

function sitesOnly(_: Error, sites: NodeJS.CallSite[]): NodeJS.CallSite[] {
  return sites
}

/** The place of a call; in the code that it was made from, where the program has its maps in memory. */
export function placeOf(call: NodeJS.CallSite): RawPlace | undefined {
  const file = call.getFileName()
  const [line, column] = [call.getLineNumber(), call.getColumnNumber()]
  if (!file || line === null || column === null) return undefined
  if (!(process as { sourceMapsEnabled?: boolean }).sourceMapsEnabled) return { file, line, column }
  const entry = process
    .getBuiltinModule('node:module')
    .findSourceMap(file)
    ?.findEntry(line - 1, column - 1)
  return entry && 'originalSource' in entry && entry.originalSource
    ? { file: entry.originalSource, line: entry.originalLine + 1, column: entry.originalColumn + 1 }
    : { file, line, column }
}

/** The first place in code behind a function. */
export function callerOf(call: unknown): RawPlace | typeof byNode | undefined {
  for (const most of [nearest, nearMax])
    for (const site of callsBehind(call, most)) {
      const file = site.getFileName()
      // Calls of the language itself have no file.
      if (file) return file.startsWith('node:') ? byNode : placeOf(site)
    }
  return undefined
}

/** The first place in the program's code behind a function, with Node's own code in between. */
export function programBehind(call: unknown): RawPlace | undefined {
  const site = callsBehind(call, 4 * nearMax).find((each) => /^(?!node:)./.test(each.getFileName() ?? ''))
  return site && placeOf(site)
}

/** Tells whether a function was called to start another process. */
export function startsChild(call: unknown): boolean {
  return callsBehind(call, nearMax).some((each) =>
    /^node:(?:internal\/)?(?:child_process|cluster\b)/.test(each.getFileName() ?? ''),
  )
}
