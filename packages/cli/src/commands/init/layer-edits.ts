import { type Legend, layerFromText, readLayer, surveyLayers } from 'mappa'
import type { MovedValue } from '../../starts/losing.js'
import type { FileChange } from '../../terminal/diff.js'

/** A layer file as it is. */
export interface LayerText {
  readonly path: string
  readonly text: string
}

/** Every name that layer files and the sample have: its texts by file, and what a comment above it says. */
export function namesIn(layers: readonly LayerText[], sample: string | undefined) {
  const names = new Map<string, { readonly texts: Map<string, string>; comment: string | undefined }>()
  const sources = [...layers, ...(sample === undefined ? [] : [{ path: undefined, text: sample }])]
  for (const { path, text } of sources) {
    const layer = readLayer(text)
    for (const [name, ranges] of layer.ranges()) {
      const known = names.get(name) ?? { texts: new Map(), comment: undefined }
      const value = layer.get(name) ?? ''
      if (path !== undefined && value !== '') known.texts.set(path, value)
      known.comment ??= commentAbove(text, ranges[0]?.nameStart ?? 0)
      names.set(name, known)
    }
  }
  return names
}

/** The comment lines right above an assignment, as one text; undefined if there are none. What looks like an assignment is not one. */
function commentAbove(text: string, nameStart: number): string | undefined {
  const lines = text.slice(0, nameStart).split(/\r?\n/).slice(0, -1)
  const found: string[] = []
  for (const line of lines.reverse()) {
    const [, said] = /^\s*#+[ \t:]*(.*?)\s*#*$/.exec(line) ?? []
    if (said === undefined || /^(?:export\s+)?[A-Za-z_]\w*\s*=/.test(said)) break
    // Lines that only divide.
    if (/\w/.test(said)) found.unshift(said)
  }
  const comment = found.filter((line) => !/^mappa keep:/.test(line)).join(' ')
  return comment === '' || comment.length > 300 ? undefined : comment
}

/** What may be done with layer files. */
export interface LayerRules {
  /** True for a secret that stays where it is. */
  readonly stays: (moved: MovedValue) => boolean
  /** False for a file whose text another reader would then read otherwise than before. */
  readonly mends: (path: string, before: string, after: string) => boolean
}

/**
 * Secrets that are in committed layers, moved to this machine's own; dollar characters before known names written with braces; and
 * values in quotes where other readers would take them otherwise.
 */
export function mendedLayers(
  layers: readonly LayerText[],
  secrets: ReadonlySet<string>,
  definition: Legend,
  { stays, mends }: LayerRules,
): {
  readonly changes: readonly (FileChange & { readonly secret: boolean })[]
  readonly kept: readonly string[]
  readonly moved: readonly MovedValue[]
} {
  const before = new Map(layers.map(({ path, text }) => [path, text]))
  const known = new Set(Object.keys(definition.entries))
  const after = new Map(
    layers.map(({ path, text }) => {
      const mended = withQuotes(path, withBraces(text, known), definition)
      return [path, mended === text || mends(path, text, mended) ? mended : text]
    }),
  )
  const kept: string[] = []
  const moved: MovedValue[] = []
  const local = new Set<string>()
  for (const { path } of layers) {
    if (path.endsWith('.local')) continue
    const from = readLayer(after.get(path) ?? '')
    const goes = `${path}.local`
    const to = readLayer(after.get(goes) ?? '')
    const moving: [name: string, value: string][] = []
    for (const name of from.names()) {
      const value = from.get(name)
      if (!secrets.has(name) || !value || stays({ name, from: path, to: goes })) continue
      // This machine has another one, or it is built on others: a person has to say which.
      if ((to.get(name) ?? value) !== value || value.includes('${')) {
        kept.push(`${name} in ${path}`)
        continue
      }
      moving.push([name, value])
      moved.push({ name, from: path, to: goes })
      local.add(goes)
    }
    const taken = withoutNames(
      after.get(path) ?? '',
      moving.map(([name]) => name),
    )
    for (const [name, value] of moving) {
      const comment = taken.comments.get(name)
      if (to.get(name) === undefined) to.add(name, value, comment === undefined ? {} : { comment })
    }
    after.set(path, taken.text)
    if (local.has(goes)) after.set(goes, to.toString())
  }
  const changes = [...after].flatMap(([path, text]) =>
    text === before.get(path) ? [] : [{ path, before: before.get(path) ?? null, after: text, secret: local.has(path) }],
  )
  return { changes, kept, moved }
}

/** A layer's text without some names, and without the comments right above them, which go with them. */
function withoutNames(text: string, names: readonly string[]) {
  const comments = new Map<string, string>()
  let rest = text
  for (const name of names) {
    const layer = readLayer(rest)
    const [first, ...more] = layer.ranges().get(name) ?? []
    const lineStart = first ? rest.lastIndexOf('\n', first.nameStart - 1) + 1 : 0
    const block = commentBlock(rest.slice(0, lineStart))
    const isOwn = first && more.length === 0 && block !== ''
    if (isOwn) {
      comments.set(name, block.trimEnd().replace(/^[ \t]*#[ \t]?/gm, ''))
      const without = readLayer(rest.slice(0, lineStart - block.length) + rest.slice(lineStart))
      without.remove(name)
      rest = without.toString()
    } else {
      layer.remove(name)
      rest = layer.toString()
    }
  }
  return { text: rest, comments }
}

/**
 * A layer's text in which what other readers would take otherwise is written so that all agree, where its value may be shown
 * and the legend's own notice says how.
 */
function withQuotes(path: string, text: string, definition: Legend): string {
  const { notices } = surveyLayers(definition, { stage: 'development', layers: [layerFromText(path, text)] })
  let mended = text
  for (const { kind, name, remedy = '' } of notices) {
    const [, written] = /^Write: \w+=(['"].*['"])$/.exec(remedy) ?? []
    const layer = readLayer(mended)
    const [range, ...more] = layer.ranges().get(name ?? '') ?? []
    if (kind !== 'read-differently' || name === undefined || written === undefined || !range || more.length > 0)
      continue
    const fresh = mended.slice(0, range.valueStart) + written + mended.slice(range.valueEnd)
    // The value must be the one that it was.
    if (readLayer(fresh).get(name) === layer.get(name)) mended = fresh
  }
  return mended
}

/** The comment lines at the end of a text, as they are written; what looks like an assignment is not one. */
function commentBlock(before: string): string {
  let start = before.length
  for (;;) {
    const from = before.lastIndexOf('\n', start - 2) + 1
    const line = before.slice(from, start)
    if (start === 0 || !/^[ \t]*#/.test(line) || /^[ \t]*#[ \t]*(?:export[ \t]+)?[A-Za-z_]\w*[ \t]*=/.test(line)) break
    start = from
  }
  return before.slice(start)
}

/** `$NAME` of a known name, outside single quotes, with braces: what other readers expand is built on it here, too. */
function withBraces(text: string, known: ReadonlySet<string>): string {
  const layer = readLayer(text)
  const ranges = [...layer.ranges().values()].flat().sort((a, b) => b.valueStart - a.valueStart)
  let mended = text
  for (const { valueStart, valueEnd, style } of ranges) {
    if (style !== 'bare' && style !== 'double') continue
    const written = mended.slice(valueStart, valueEnd)
    const fresh = written.replace(/(?<!\\)\$([A-Za-z_]\w*)/g, (all, name: string) =>
      known.has(name) ? `\${${name}}` : all,
    )
    if (fresh !== written) mended = mended.slice(0, valueStart) + fresh + mended.slice(valueEnd)
  }
  return mended
}
