import { isScript } from '../../code/parse.js'
import type { LiftedFile } from '../change.js'

const kept = ['dependencies', 'optionalDependencies', 'peerDependencies'] as const

/** Finds where a manifest names a package; undefined if it does not. */
export function sectionWith(manifest: string, name: string): 'here' | 'development' | undefined {
  const data = manifestData(manifest)
  if (kept.some((section) => Object.hasOwn(sectionOf(data, section), name))) return 'here'
  return Object.hasOwn(sectionOf(data, 'devDependencies'), name) ? 'development' : undefined
}

/**
 * A manifest with a package among what is installed in production; undefined where that would change more of the text than it
 * must.
 */
export function withDependency(manifest: string, name: string): string | undefined {
  const data = manifestData(manifest)
  const indent = /^([ \t]+)"/m.exec(manifest)?.[1] ?? '  '
  const written = (value: unknown) => JSON.stringify(value, null, indent) + (manifest.endsWith('\n') ? '\n' : '')
  if (written(data) !== manifest) return undefined
  const { [name]: version, ...others } = sectionOf(data, 'devDependencies')
  if (version === undefined) return undefined
  const dependencies = { ...sectionOf(data, 'dependencies'), [name]: version }
  const sorted = Object.fromEntries(Object.entries(dependencies).sort(([one], [other]) => (one < other ? -1 : 1)))
  const after: Record<string, unknown> = {}
  for (const [key, value] of Object.entries(data)) {
    if (key === 'devDependencies') {
      if (!Object.hasOwn(data, 'dependencies')) after.dependencies = sorted
      if (Object.keys(others).length > 0) after[key] = others
    } else after[key] = key === 'dependencies' ? sorted : value
  }
  return written(after)
}

/** Tells whether two manifests differ only in how they name our packages: what installing them changes. */
export function differsByInstall(before: string, after: string): boolean {
  const rest = (text: string) => {
    const data = manifestData(text)
    const entries = Object.entries(data).flatMap(([key, value]): [string, unknown][] => {
      if (!/ependencies$/.test(key)) return [[key, value]]
      const others = Object.entries(sectionOf(data, key)).filter(
        ([name]) => name !== 'mappa' && !name.startsWith('@mappa/'),
      )
      return others.length > 0 ? [[key, others.sort()]] : []
    })
    return JSON.stringify(entries.sort())
  }
  return rest(before) === rest(after)
}

/** Tells whether code takes settings while it runs, and not only while a page is built. */
export function needsAtRun(changes: readonly LiftedFile[]): boolean {
  return changes.some(({ path, after }) => isScript(path) && /['"]mappa(?:\/(?!legend)\w+)?['"]/.test(after))
}

function manifestData(manifest: string): Readonly<Record<string, unknown>> {
  try {
    const data: unknown = JSON.parse(manifest)
    return typeof data === 'object' && data !== null ? (data as Record<string, unknown>) : {}
  } catch {
    return {}
  }
}

function sectionOf(data: Readonly<Record<string, unknown>>, name: string): Readonly<Record<string, unknown>> {
  const section = data[name]
  return typeof section === 'object' && section !== null ? (section as Record<string, unknown>) : {}
}
