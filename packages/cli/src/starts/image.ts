/** An image as its file builds it: the last stage, with what it inherits from stages of the same file. */
export interface Image {
  /** The command as a shell takes it; undefined if the file names none. */
  readonly command: string | undefined
  /** The line of the command, from 1. */
  readonly line: number
  /** `ENV`: undefined where only the build can tell the text. */
  readonly sets: ReadonlyMap<string, string | undefined>
  /** The working directory in the image. */
  readonly folder: string
  /** What the last stage copies from the project, with the line of each. */
  readonly copies: readonly Copy[]
}

export interface Copy {
  readonly sources: readonly string[]
  readonly target: string
  readonly line: number
}

interface Stage {
  readonly name: string | undefined
  readonly sets: Map<string, string | undefined>
  readonly copies: Copy[]
  folder: string
  entrypoint: Instruction | undefined
  cmd: Instruction | undefined
}

interface Instruction {
  readonly word: string
  readonly text: string
  readonly line: number
}

/** Tells whether a file builds an image. */
export function isImageFile(path: string): boolean {
  return (
    /(?:^|\/)(?:(?:Docker|Container)file(?:\.[\w-]+)?|[\w-]+\.[Dd]ockerfile)$/.test(path) &&
    !/\.dockerignore$/.test(path)
  )
}

/** Reads an image's file: instructions, one a line, which a backslash continues (the format's reference). */
export function imageIn(text: string): Image | undefined {
  const stages: Stage[] = []
  for (const instruction of instructionsIn(text)) {
    const { word, line } = instruction
    if (word === 'FROM') stages.push(stageFrom(instruction.text, stages))
    const stage = stages.at(-1)
    if (!stage) continue
    if (word === 'ENV') for (const [name, value] of variablePairs(instruction.text)) stage.sets.set(name, value)
    else if (word === 'WORKDIR') stage.folder = inFolder(stage.folder, instruction.text)
    else if (word === 'COPY' || word === 'ADD')
      for (const copy of copyIn(instruction.text, line, stages)) stage.copies.push(copy)
    else if (word === 'ENTRYPOINT') {
      stage.entrypoint = instruction
      // It drops the command that the image beneath has.
      stage.cmd = undefined
    } else if (word === 'CMD') stage.cmd = instruction
  }
  const last = stages.at(-1)
  if (!last) return undefined
  const { entrypoint, cmd, sets, folder, copies } = last
  const parts = [entrypoint, cmd].flatMap((each) => (each ? [commandText(each.text)] : []))
  // In its shell form an entry point takes no further words.
  const isWhole = entrypoint !== undefined && !entrypoint.text.startsWith('[')
  return {
    sets,
    folder,
    copies,
    command: parts.length === 0 ? undefined : isWhole ? parts[0] : parts.join(' '),
    line: (cmd ?? entrypoint)?.line ?? 1,
  }
}

function instructionsIn(text: string): Instruction[] {
  const found: Instruction[] = []
  const lines = text.split(/\r?\n/)
  for (let at = 0; at < lines.length; at++) {
    const line = at + 1
    let whole = (lines[at] ?? '').trim()
    if (whole === '' || whole.startsWith('#')) continue
    while (whole.endsWith('\\') && at + 1 < lines.length) {
      const next = (lines[++at] ?? '').trim()
      whole = whole.slice(0, -1) + (next.startsWith('#') ? '\\' : ` ${next}`)
    }
    const [, word, rest] = /^([A-Za-z]+)\s+(.*)$/.exec(whole) ?? []
    if (word !== undefined && rest !== undefined) found.push({ word: word.toUpperCase(), text: rest.trim(), line })
  }
  return found
}

function stageFrom(text: string, stages: readonly Stage[]): Stage {
  const [, base = '', , name] = /^(?:--\S+\s+)*(\S+)(\s+[Aa][Ss]\s+(\S+))?/.exec(text) ?? []
  const beneath = stages.find((each) => each.name === base)
  return {
    name,
    sets: new Map(beneath?.sets),
    copies: [...(beneath?.copies ?? [])],
    folder: beneath?.folder ?? '/',
    entrypoint: beneath?.entrypoint,
    cmd: beneath?.cmd,
  }
}

/** `A=b C="d e"`, or in the older form `A b`. */
function variablePairs(text: string): [name: string, value: string | undefined][] {
  const [, only, rest] = /^([A-Za-z_]\w*)\s+([^=]*)$/.exec(text) ?? []
  if (only !== undefined && rest !== undefined) return [[only, rest.includes('$') ? undefined : rest]]
  return [...text.matchAll(/([A-Za-z_]\w*)=("(?:[^"\\]|\\.)*"|'[^']*'|(?:[^\s\\]|\\.)*)/g)].map(
    ([, name = '', written = '']) => [
      name,
      written.includes('$') && !written.startsWith("'")
        ? undefined
        : written.replace(/^(["'])([\s\S]*)\1$/, '$2').replace(/\\(.)/g, '$1'),
    ],
  )
}

/** What an instruction copies from the project; from a stage of the file, what that stage has. */
function copyIn(text: string, line: number, stages: readonly Stage[]): Copy[] {
  const from = /(?:^|\s)--from=(\S+)/.exec(text)?.[1]
  const plain = text.replace(/(?:^|\s)--[\w-]+(?:=\S+)?/g, ' ').trim()
  const words = plain.startsWith('[') ? wordsInList(plain) : plain.split(/\s+/)
  const sources = words.slice(0, -1)
  const target = words.at(-1) ?? '.'
  if (from === undefined) return [{ sources, target, line }]
  const other = stages.find((each, at) => each.name === from || String(at) === from)
  if (!other) return []
  // A folder that another stage has copied whole holds what was copied.
  const isWhole = sources.some((each) => inFolder('/', each) === other.folder)
  return isWhole ? other.copies.map((copy) => ({ ...copy, line })) : []
}

function wordsInList(text: string): string[] {
  try {
    const list: unknown = JSON.parse(text)
    return Array.isArray(list) ? list.map(String) : []
  } catch {
    return []
  }
}

/** A command in its list form, written for a shell. */
export function commandText(text: string): string {
  const words = text.startsWith('[') ? wordsInList(text) : []
  return words.length > 0 ? quotedWords(words) : text
}

export function quotedWords(words: readonly string[]): string {
  return words.map((each) => (/^[\w@%+=:,./-]+$/.test(each) ? each : `'${each.replaceAll("'", `'\\''`)}'`)).join(' ')
}

function inFolder(folder: string, path: string): string {
  const steps = path.startsWith('/') ? [] : folder.split('/').filter((each) => each !== '')
  for (const step of path.split('/')) {
    if (step === '..') steps.pop()
    else if (step !== '.' && step !== '') steps.push(step)
  }
  return `/${steps.join('/')}`
}

/** Tells whether an image gets a file of the project's root, by what it copies. */
export function isCopied({ copies }: Image, file: string): boolean {
  return copies.some(({ sources }) =>
    sources.some((source) => {
      const plain = source.replace(/^\.?\//, '').replace(/\/$/, '')
      return plain === '' || plain === '.' || globPattern(plain).test(file)
    }),
  )
}

/** The line of an ignore file, from 1, that keeps a file out of an image; undefined if none does. The last that fits counts. */
export function ignoringLine(text: string, file: string): number | undefined {
  let found: number | undefined
  for (const [at, line] of text.split(/\r?\n/).entries()) {
    const [, negated, pattern = ''] = /^\s*(!?)\/?(.*?)\/?\s*$/.exec(line) ?? []
    if (pattern === '' || pattern.startsWith('#') || !globPattern(pattern).test(file)) continue
    found = negated ? undefined : at + 1
  }
  return found
}

/** `*` stands for no slash, `**` for anything (Go's filepath.Match, as the format's reference says). */
function globPattern(pattern: string): RegExp {
  const parts = pattern.split(/(\*\*\/?|\*|\?)/).map((part) => {
    if (part.startsWith('**')) return '(?:.*/)?'
    if (part === '*') return '[^/]*'
    return part === '?' ? '[^/]' : part.replace(/[^\w/]/g, '\\$&')
  })
  return new RegExp(`^${parts.join('')}$`)
}
