import type { Rolldown } from 'vite'
import { type ModuleGraph, pageNames, refusedNames } from '../bundle/refuse.js'
import { pageTexts } from '../bundle/settings-module.js'
import { path } from '../node/builtins.js'
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
