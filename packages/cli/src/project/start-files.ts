import { join } from 'node:path'
import { parseEnv } from 'node:util'
import { textAt } from 'mappa/command'
import type { StartFiles } from '../starts/start.js'
import { foldersApart, projectPaths } from './files.js'

/** Larger files of packages are not code that anyone wrote. Bytes. */
const fileMax = 4 * 1024 * 1024

const filesOfProjects = new WeakMap<object, StartFiles>()

/** The files of an opened project, read once for all that is asked of its starts. */
export function startFilesOf(project: { readonly root: string }): StartFiles {
  const known = filesOfProjects.get(project) ?? startFiles(project.root)
  filesOfProjects.set(project, known)
  return known
}

/** A project's files for its starts; each is read once. */
export function startFiles(root: string): StartFiles {
  const known = new Map<string, string | undefined>()
  return {
    readAsNode: (text) => new Map(Object.entries(parseEnv(text) as Record<string, string>)),
    paths: [...projectPaths(root, foldersApart(root))],
    read: (path) => {
      if (!known.has(path)) known.set(path, textAt(join(root, path), fileMax))
      return known.get(path)
    },
  }
}
