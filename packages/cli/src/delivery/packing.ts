import { existsSync } from 'node:fs'
import { join } from 'node:path'
import type { Ignore } from '@balena/dockerignore'
import { namesIn, textAt } from 'mappa/command'

/** Files of a package that would be published, by their paths from its root; none for one that is private or is not a package. */
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

/**
 * Which of these paths would not be in the image that the root's container file builds: its ignore rules leave them out, or no
 * instruction copies them. None where there is no such file.
 */
export async function unsentPaths(root: string, paths: readonly string[]): Promise<readonly string[]> {
  const name = ['Dockerfile', 'Containerfile'].find((each) => existsSync(join(root, each)))
  if (name === undefined) return []
  const sent = new Set(await builtPaths(root, paths))
  const copied = copiedIn(textAt(join(root, name)) ?? '')
  return paths.filter((path) => !sent.has(path) || !copied.some((each) => covers(each, path)))
}

/** Sources that the last stage of a container file copies from the build context. */
function copiedIn(text: string): string[] {
  const last =
    text
      .replace(/\\\r?\n/g, ' ')
      .split(/^\s*FROM\b/im)
      .at(-1) ?? ''
  return [...last.matchAll(/^\s*(?:COPY|ADD)\s+(?!.*--from)(.+)$/gim)].flatMap(([, rest = '']) =>
    rest
      .replace(/[[\]",]/g, ' ')
      .trim()
      .split(/\s+/)
      .filter((each) => !each.startsWith('--'))
      .slice(0, -1),
  )
}

function covers(source: string, path: string): boolean {
  const plain = source.replace(/^\.?\//, '').replace(/\/$/, '')
  if (plain === '' || plain === '.' || plain === '*') return true
  return new RegExp(`^${plain.replace(/[.+?^${}()|]/g, '\\$&').replaceAll('*', '[^/]*')}$`).test(path)
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
