import path from 'node:path'
import type { Fault } from 'mappa'
import { realOf, textAt } from 'mappa/plugin'
import { type ModuleGraph, type ModuleText, refusedModule } from './refuse.js'
import type { Session } from './session.js'

/** Files that a module takes by their address and that may not get into a page: `new URL('…', import.meta.url)`. */
export async function refusedAssets(session: Session, id: string, code: string, graph: ModuleGraph): Promise<Fault[]> {
  if (!/data:|__VITE_ASSET__|new URL/.test(code)) return []
  const file = id.split('?', 1)[0] as string
  const faults: Fault[] = []
  for (const [, , asked = ''] of (textAt(file) ?? '').matchAll(
    /\bnew\s+URL\(\s*(['"`])([^'"`\n]+)\1\s*,\s*import\.meta\.url/g,
  )) {
    const target = realOf(path.resolve(path.dirname(file), asked.split(/[?#]/, 1)[0] as string))
    const why = session.keptFromPages(target)
    if (why !== undefined) faults.push(await refusedModule(target, why, graph))
  }
  return faults
}

/** The entry points of a page, in the form of the builders. */
export type Input = string | readonly string[] | Readonly<Record<string, string>>

/** A builder's module graph, for the way that an import took. */
export function graphOf(
  session: Session,
  input: Input | undefined,
  resolve: (path: string, importer: string) => Promise<string | undefined>,
): ModuleGraph {
  const { pageRoot } = session
  const entries = input ?? path.join(pageRoot, 'index.html')
  return {
    entries: (typeof entries === 'string' ? [entries] : Object.values(entries)).map((each) =>
      path.resolve(pageRoot, each),
    ),
    resolve,
    nameOf: (each) => session.nameOf(each),
  }
}

/** Tells whether a module is the project's own, rather than of a package. */
export function isOwnModule(id: string): boolean {
  return !/[\\/]node_modules[\\/]/.test(id) && !id.startsWith('\0')
}

/** A module of a build by its id and code, parsed once, when that is first asked for. */
export function moduleOf(id: string, code: string, parseCode: () => unknown): ModuleText {
  let program: unknown
  const parse = () => {
    program ??= parseCode()
    return program
  }
  return { id, code, isOwn: isOwnModule(id), parse }
}
