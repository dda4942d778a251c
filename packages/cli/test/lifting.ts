import { legendFromJsonSchema } from 'mappa'
import type { SourceFile } from '../src/code/parse.js'
import type { Target } from '../src/lift/change.js'
import { changesFor, sorted } from '../src/lift/edit/edit.js'
import { findIn } from '../src/lift/lift.js'

/** A project of files that are given, as lift sees it. */
export function targetOf(files: readonly SourceFile[], isModule: boolean): Target {
  const texts = new Map(files.map(({ path, text }) => [path, text]))
  const legendFile = [...texts.keys()].find((path) => path.startsWith('mappa.legend.'))
  const json = legendFile?.endsWith('.json') && JSON.parse(texts.get(legendFile) as string)
  const definition = json ? legendFromJsonSchema(json) : undefined
  const code = files.map(({ path }) => path)
  return { read: (path) => texts.get(path), legendFile, definition, isModule, code, compose: true }
}

/** The changes that move everything that can be moved. */
export function changesTo(files: readonly SourceFile[], isModule = true) {
  const target = targetOf(files, isModule)
  const names = target.legendFile ? ['A'] : []
  return changesFor(sorted(findIn(files, names, true).candidates, target).movable, target)
}
