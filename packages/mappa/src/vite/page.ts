import type { Rolldown } from 'vite'
import { type ModuleGraph, pageNames, refusedModule, refusedNames } from '../bundle/refuse.js'
import { pageTexts } from '../bundle/settings-module.js'
import { path } from '../node/builtins.js'
import { realOf, textAt } from '../node/files.js'
import type { Fault } from '../settle/faults.js'
import type { Session } from './session.js'

/** What a module of a page may not take, each as a fault with its place. */
export function refusedIn(
  session: Session,
  program: unknown,
  id: string,
  input: Rolldown.InputOption | undefined,
  resolve: (path: string, importer: string) => Promise<string | undefined>,
): Promise<Fault[]> {
  const { sound } = session.project
  return sound ? refusedNames(program, id, sound.definition, graphOf(session, input, resolve)) : Promise.resolve([])
}

/** Files that a module takes by their address and that may not get into a page: `new URL('…', import.meta.url)`. */
export async function refusedAssets(session: Session, id: string, graph: ModuleGraph): Promise<Fault[]> {
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

/** What Vite knows of modules, for the way that an import took. */
export function graphOf(
  session: Session,
  input: Rolldown.InputOption | undefined,
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

/** A module with the values put in that it reads from `import.meta.env`; undefined if it reads none. */
export async function withPageTexts(
  { project, filled }: Session,
  program: unknown,
  code: string,
  id: string,
): Promise<{ code: string; map: string | null } | undefined> {
  const { sound } = project
  const define = sound ? pageTexts(sound.definition, sound.survey, pageNames(program)) : {}
  if (Object.keys(define).length === 0) return undefined
  const { transformWithOxc } = await import('vite')
  filled.add(id)
  const options = { lang: 'js', define, sourcemap: true, tsconfig: false } as const
  const { code: text, map } = await transformWithOxc(code, id, options)
  return { code: text, map: map ? JSON.stringify(map) : null }
}
