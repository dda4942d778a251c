import type { Expander } from './expand.js'
import type { Layer } from './layer.js'
import type { Stack } from './stack.js'

/** A layer file that somebody has put into the process environment, where it hides what higher files say. */
export interface ReadAlready {
  readonly layer: Layer
  /** Number of names that it sets. */
  readonly count: number
  /** A name that a higher layer file sets otherwise, and that file; a file of another stage is above nothing. */
  readonly name: string
  readonly hidden?: Layer
  /** Whether it stops: what could be chance does not. */
  readonly stops: boolean
}

/** With fewer names it may be chance. */
export const readAlreadyMin = 3

/**
 * Layer files that another reader, such as a runtime, a container or a shell, has put into the process environment already:
 * the environment holds all that the file sets, as it is written or expanded, and a higher file sets one of it otherwise.
 */
export function readAlready(layers: readonly Layer[], stack: Stack, expander: Expander): ReadAlready[] {
  const host = layers.findLast(({ source }) => source === 'environment')
  // Most hosts set nothing that a file sets, and then no file is looked at.
  if (!host || !stack.meetsHost()) return []
  const files = layers.flatMap((layer, at) => (layer.source === 'file' ? [{ layer, at, texts: lastTexts(layer) }] : []))
  return files.flatMap(({ layer, at, texts }, index): ReadAlready[] => {
    for (const [name, text] of texts) {
      const own = host.get(name)
      if (own === undefined) return []
      if (own === text) continue
      const expanded = expander.expand(name, { layer, text, at, dollar: true })
      if ('problem' in expanded || expanded.text !== own) return []
    }
    for (const higher of files.slice(index + 1))
      for (const [name, text] of texts) {
        const other = higher.texts.get(name)
        if (other !== undefined && other !== text)
          return [{ layer, count: texts.size, name, hidden: higher.layer, stops: texts.size >= readAlreadyMin }]
      }
    return []
  })
}

function lastTexts(layer: Layer): ReadonlyMap<string, string> {
  const texts = new Map<string, string>()
  layer.each((name, text) => texts.set(name, text))
  return texts
}

/**
 * Layer files of other stages that another reader has put into the process environment: it holds what the file sets of every
 * name in which the file and this stage differ. Three of them at least, or two where a runtime that loads files is known to
 * run, and none a word or number that anyone might choose, stop a start: a host may override one variable, or two.
 */
export function foreignReadAlready(
  own: readonly Layer[],
  others: () => readonly Layer[],
  { stack, expander, isDeclared, usual, isRuntime }: ForeignReading,
): ReadAlready[] {
  const host = own.findLast(({ source }) => source === 'environment')
  if (!host) return []
  const given = (name: string) => {
    const hit = stack.ownHit(name)
    if (!hit) return usual(name)
    const expanded = expander.expand(name, hit)
    return 'problem' in expanded ? hit.text : expanded.text
  }
  let differing = 0
  for (const name of host.names()) {
    const text = stack.sets(name) || isDeclared(name) ? host.get(name) : undefined
    if (text !== undefined && text !== given(name) && ++differing > 1) break
  }
  // Most hosts set nothing of a project otherwise, or one variable, and then no other file is read.
  if (differing < 2) return []
  const found: ReadAlready[] = []
  for (const layer of others()) {
    const names: string[] = []
    let isHeld = true
    for (const [name, text] of lastTexts(layer)) {
      if (text === given(name)) continue
      const expanded = expander.expand(name, { layer, text, at: own.length, dollar: true })
      const whole = 'problem' in expanded ? text : expanded.text
      if (whole === given(name)) continue
      const held = host.get(name)
      isHeld = held === text || held === whole
      if (!isHeld) break
      names.push(name)
    }
    const [name] = names
    if (!isHeld || name === undefined || names.length < 2) continue
    const isTelling = names.every((each) => !isCommon(host.get(each) ?? ''))
    const stops = isTelling && names.length >= (isRuntime() ? 2 : readAlreadyMin)
    found.push({ layer, count: names.length, name, stops })
  }
  return found
}

/** What files of other stages are compared with. */
interface ForeignReading {
  readonly stack: Stack
  readonly expander: Expander
  readonly isDeclared: (name: string) => boolean
  /** The default of a variable, as text. */
  readonly usual: (name: string) => string | undefined
  readonly isRuntime: () => boolean
}

/** Texts that two people choose without knowing of each other. */
function isCommon(text: string): boolean {
  return (
    text.length < 4 ||
    /^(?:\d{1,5}|true|false|none|null|info|debug|warn|error|trace|localhost|(?:127|0)\.0\.0\.[01]|development|production|staging|test)$/i.test(
      text,
    )
  )
}
