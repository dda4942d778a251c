import { existsSync } from 'node:fs'
import { join } from 'node:path'
import type { Ignore } from '@balena/dockerignore'
import { namesIn, textAt } from 'mappa/command'

/** Files of a package that would be published, by their paths from its root; none for one that is private or is no package. */
export async function publishedPaths(root: string): Promise<readonly string[]> {
  const manifest = manifestOf(root)
  if (!manifest || manifest.private === true || typeof manifest.name !== 'string') return []
  const { default: packlist } = await import('npm-packlist')
  try {
    return await packlist({ path: root, package: manifest, isProjectRoot: true, edgesOut: new Map() })
  } catch {
    return []
  }
}

function manifestOf(root: string): { readonly name?: unknown; readonly private?: unknown } | undefined {
  try {
    return JSON.parse(textAt(join(root, 'package.json')) ?? '')
  } catch {
    return undefined
  }
}

/** Which of these paths a container's build would get, where the root has a file that says how to build one. */
export async function builtPaths(root: string, paths: readonly string[]): Promise<readonly string[]> {
  const isBuilt = namesIn(root).some((name) => /^(?:Dockerfile|Containerfile)(?:\.|$)/.test(name))
  if (!isBuilt) return []
  const rules = ['.containerignore', '.dockerignore'].find((name) => existsSync(join(root, name)))
  const { default: ignore } = (await import('@balena/dockerignore')) as unknown as { default: () => Ignore }
  return ignore()
    .add(rules === undefined ? '' : (textAt(join(root, rules)) ?? ''))
    .filter([...paths])
}
