import { readLayer } from 'mappa'
import type { Candidate } from '../../guess/finding.js'
import type { Target } from '../change.js'

/** Texts that layer files of a project hold, by name and file. */
export type HeldTexts = ReadonlyMap<string, ReadonlyMap<string, string>>

/** The texts that the layer files `paths` hold. */
export function heldTexts(paths: readonly string[], read: Target['read']): HeldTexts {
  const held = new Map<string, Map<string, string>>()
  for (const path of paths) {
    const layer = readLayer(read(path) ?? '')
    for (const name of layer.names()) {
      const own = held.get(name) ?? new Map<string, string>()
      held.set(name, own.set(path, layer.get(name) ?? ''))
    }
  }
  return held
}

/**
 * Secrets that code reads and committed layers hold, with those texts: they move to this machine's layers like any other. A text that is
 * built on other variables stays, and one that is not what code falls back to.
 */
export function withHeldTexts(
  candidates: readonly Candidate[],
  held: HeldTexts,
  { ignored }: Pick<Target, 'ignored'>,
): readonly Candidate[] {
  return candidates.map((candidate) => {
    const { name, secret, value, stages, blocked, unproved, declared } = candidate
    const isOpen = blocked === undefined && unproved === undefined && declared === undefined
    if (!secret || !isOpen) return candidate
    const own = [...(held.get(name) ?? [])].filter(
      ([path, text]) => !path.endsWith('.local') && !ignored?.has(path) && text !== '',
    )
    if (own.length === 0 || own.some(([, text]) => text.includes('$'))) return candidate
    if (value !== undefined || Object.keys(stages).length > 0) {
      const [other] = own.find(([path, text]) => text !== (stages[path.slice('.env.'.length)] ?? value)) ?? []
      const blocked = `Code has a value of its own for it, but ${other} holds another one. Make them the same first.`
      return other === undefined ? candidate : { ...candidate, blocked }
    }
    const shared = own.find(([path]) => path === '.env')?.[1]
    const staged = own.flatMap(([path, text]) => (path === '.env' ? [] : [[path.slice('.env.'.length), text] as const]))
    return { ...candidate, ...(shared !== undefined && { value: shared }), stages: Object.fromEntries(staged) }
  })
}
