import { parseParts } from 'mappa/command'

/** A part of a template's form, as an expansion has them. */
type FormPart = Extract<ReturnType<typeof parseParts>, { readonly parts: unknown }>['parts'][number]

/** A `${NAME}` form in a template. Offsets are UTF-16 code units, the end excluded. */
export interface Mention {
  readonly start: number
  readonly end: number
  readonly parts: readonly FormPart[]
}

/** A parsed template: texts, escaped `${`, and mentions, in order. */
export interface Template {
  readonly text: string
  readonly mentions: readonly Mention[]
  /** Offsets of the backslashes of `\${`. */
  readonly escapes: readonly number[]
  /** Offsets of `${` that are not form that can be understood. */
  readonly flaws: readonly number[]
  /** Forms that the format keeps for itself, and that stand where a person may have meant a value. */
  readonly kept?: readonly Mention[]
}

const formHead = /\$\{[A-Za-z_][A-Za-z0-9_]*(?::-|-|:\?|:\+|(?=\}))/y
/** Nobody nests words deeper by hand. */
const nestingMax = 100

/**
 * Takes a template apart. The forms are those of layer files: POSIX, section 2.6.2. A backslash in front of `${` makes it a
 * text; of several, as in a shell's here-document, each pair is one backslash, which is for the form of the file to say.
 */
export function readTemplate(text: string): Template {
  const mentions: Mention[] = []
  const escapes: number[] = []
  const flaws: number[] = []
  for (let at = text.indexOf('${'); at >= 0; at = text.indexOf('${', at)) {
    let slashes = 0
    while (text[at - slashes - 1] === '\\') slashes++
    if (slashes % 2 === 1) {
      escapes.push(at - 1)
      at += 2
      continue
    }
    const end = endOf(text, at)
    const parsed = end === undefined ? undefined : parseParts(text.slice(at, end), 'bare')
    if (end === undefined || !parsed || 'flawAt' in parsed) {
      flaws.push(at)
      at += 2
      // One that never closes says where; all that follow would be looked at to the end again.
      if (end === undefined && startsForm(text, at - 2)) break
      continue
    }
    mentions.push({ start: at, end, parts: parsed.parts })
    at = end
  }
  return { text, mentions, escapes, flaws }
}

function startsForm(text: string, at: number): boolean {
  formHead.lastIndex = at
  return formHead.test(text)
}

/** Finds where a form ends; undefined for one that does not begin or end as it must. */
function endOf(text: string, start: number): number | undefined {
  if (!startsForm(text, start)) return undefined
  let depth = 1
  for (let at = formHead.lastIndex; at < text.length; at++) {
    if (text[at] === '}') {
      depth--
      if (depth === 0) return at + 1
    } else if (startsForm(text, at)) {
      depth++
      if (depth > nestingMax) return undefined
      at = formHead.lastIndex - 1
    }
  }
  return undefined
}

/** Every name that a template's forms ask for; `needed` are those without a word to fall back to. */
export function templateNames(template: Template): {
  readonly all: ReadonlySet<string>
  readonly needed: ReadonlySet<string>
} {
  const all = new Set<string>()
  const needed = new Set<string>()
  const visit = (parts: readonly FormPart[]) => {
    for (const part of parts) {
      if (typeof part === 'string') continue
      all.add(part.name)
      if (part.operator === '' || part.operator === ':?') needed.add(part.name)
      visit(part.word)
    }
  }
  for (const { parts } of template.mentions) visit(parts)
  return { all, needed }
}

/** The text for a mention. */
export interface FilledForm {
  readonly mention: Mention
  readonly text: string
  /** The number or switch that it wholly is. */
  readonly scalar: number | boolean | undefined
}

/** A place where something must not stand, and why; the sentence goes on behind the form. */
export interface Misplaced {
  readonly at: number
  readonly kind: 'bad-expansion' | 'cannot-hold' | 'misplaced-secret'
  readonly why: string
  readonly remedy: string
}

/** A template with its values, or what keeps them out. */
export interface Stamped {
  readonly text: string
  readonly misplaced: readonly Misplaced[]
}

/** Replaces ranges of a text, which must not overlap. */
export function replaced(
  text: string,
  edits: readonly { readonly start: number; readonly end: number; readonly text: string }[],
): string {
  let result = ''
  let from = 0
  for (const { start, end, text: fresh } of [...edits].sort((a, b) => a.start - b.start)) {
    result += text.slice(from, start) + fresh
    from = end
  }
  return result + text.slice(from)
}

/** Plain text: each value as it is. A pair of backslashes in front of a form is one, as in a here-document of a shell. */
export function stampText({ text, escapes }: Template, filled: readonly FilledForm[]): Stamped {
  const edits = [
    ...filled.map(({ mention, text: value }) => ({ ...withSlashes(text, mention.start), end: mention.end, value })),
    ...escapes.map((at) => ({ ...withSlashes(text, at), end: at + 1, value: '' })),
  ]
  return {
    text: replaced(
      text,
      edits.map(({ start, slashes, end, value }) => ({ start, end, text: '\\'.repeat(slashes) + value })),
    ),
    misplaced: [],
  }
}

/** Finds where the backslashes in front of an offset begin, and how many they stand for. */
function withSlashes(text: string, at: number): { readonly start: number; readonly slashes: number } {
  let count = 0
  while (text[at - count - 1] === '\\') count++
  return { start: at - count, slashes: count / 2 }
}

/** A text in which each form is a word of letters and digits, so that anyone who parses it takes it for a part of a text. */
export interface Stood {
  readonly text: string
  /** The words, each with what it stands for: a value, or `${` for itself. */
  readonly words: ReadonlyMap<string, FilledForm | undefined>
  /** Finds the words. */
  readonly pattern: RegExp
}

export function stoodFor({ text, escapes }: Template, filled: readonly FilledForm[]): Stood {
  let salt = 0
  while (text.includes(`mappa${salt}x`)) salt++
  const words = new Map<string, FilledForm | undefined>()
  const word = (value: FilledForm | undefined) => {
    const fresh = `mappa${salt}x${words.size}x`
    words.set(fresh, value)
    return fresh
  }
  const edits = [
    ...filled.map((each) => ({ start: each.mention.start, end: each.mention.end, text: word(each) })),
    ...escapes.map((at) => ({ start: at, end: at + 3, text: word(undefined) })),
  ]
  return { text: replaced(text, edits), words, pattern: new RegExp(`mappa${salt}x\\d+x`, 'g') }
}

/** The offset in the template of an offset in the text that stands for it. */
export function offsetIn(template: Template, stood: Stood, offset: number): number {
  let shift = 0
  for (const found of stood.text.matchAll(stood.pattern)) {
    if (found.index >= offset) break
    const filled = stood.words.get(found[0])
    const length = filled ? filled.mention.end - filled.mention.start : 3
    shift += length - found[0].length
  }
  return Math.min(offset + shift, template.text.length)
}
