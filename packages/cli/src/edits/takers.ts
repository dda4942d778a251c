import MagicString from 'magic-string'
import { isNode, type Node, nodesIn, overParsed, type SourceFile, walk } from '../code/parse.js'
import { isMember, readsIn } from '../code/reads.js'

/** A place in code that takes a variable. Offsets are into the text, `[start, end)`, around the name as it is written. */
interface Taken {
  readonly start: number
  readonly end: number
  /** The local name that a short property or an import gives it, which stays. */
  readonly local: 'property' | 'import' | undefined
  /** `NEW: OLD` or `NEW as OLD`, where the local name is what the variable is to be called: the whole, to be made short. */
  readonly whole: { readonly start: number; readonly end: number; readonly local: string } | undefined
}

/** Finds where code takes a variable: from its environment, from the settings module, or by its name from settings. */
function takenIn(file: SourceFile, name: string, steps: readonly string[]): readonly Taken[] {
  const found = overParsed(file, (parsed) => {
    const reads = readsIn(parsed).reads.filter((read) => read.name === name)
    const taken = reads.map(({ start, end, node }) => takenAt(start, end, node, file.text))
    for (const program of parsed.programs) for (const each of fromSettings(program, steps, file.text)) taken.push(each)
    return { taken }
  })
  return 'taken' in found ? found.taken : []
}

function takenAt(start: number, end: number, node: Node, text: string): Taken {
  if (node.type === 'ImportSpecifier') {
    const local = (node.local as Node).name as string
    const isShort = (node.local as Node).start === (node.imported as Node).start
    return {
      start,
      end,
      local: isShort ? 'import' : undefined,
      whole: isShort ? undefined : { start: node.start, end: node.end, local },
    }
  }
  if (node.type !== 'ObjectProperty') return { start, end, local: undefined, whole: undefined }
  const value = node.value as Node
  const target = value.type === 'AssignmentPattern' ? (value.left as Node) : value
  const local = target.type === 'Identifier' ? (target.name as string) : ''
  const isShort = node.shorthand === true
  const rest = text.slice(target.start, node.end)
  return {
    start,
    end,
    local: isShort ? 'property' : undefined,
    whole: isShort || local === '' ? undefined : { start: node.start, end: node.end, local: rest },
  }
}

/** `settings.NAME`, and `const { NAME } = settings`, where settings are imported, or settled here. */
function fromSettings(program: Node, steps: readonly string[], text: string): Taken[] {
  const settings = new Set<string>()
  const taken: Taken[] = []
  walk(program, (node) => {
    if (node.type === 'ImportDeclaration') {
      const from = String((node.source as Node).value)
      const isOwn = from === 'virtual:mappa/settings' || (from.startsWith('.') && /settings|config|env/i.test(from))
      for (const specifier of nodesIn(node.specifiers)) {
        const local = (specifier.local as Node).name as string
        const imported = (specifier.imported as Node | undefined)?.name
        if ((isOwn && (specifier.type !== 'ImportSpecifier' || imported === 'default')) || /settings$/i.test(local))
          settings.add(local)
      }
    }
    if (node.type === 'VariableDeclarator' && isNode(node.init)) {
      const init = node.init.type === 'AwaitExpression' ? (node.init.argument as Node) : node.init
      const called = init.type === 'CallExpression' ? ((init.callee as Node).name as string | undefined) : undefined
      const id = node.id as Node
      if (
        id.type === 'Identifier' &&
        (/^(?:settle|settleAsync|settingsFor)$/.test(called ?? '') || /settings$/i.test(id.name as string))
      )
        settings.add(id.name as string)
    }
  })
  const isSettings = (node: Node) =>
    node.type === 'Identifier' && (settings.has(node.name as string) || /^settings$/i.test(node.name as string))
  const [name = '', ...further] = steps
  walk(program, (node) => {
    const property = isMember(node) ? stepsTo(node, steps, isSettings) : undefined
    if (property) taken.push({ start: property.start, end: property.end, local: undefined, whole: undefined })
    if (node.type !== 'VariableDeclarator' || !isNode(node.init)) return
    const pattern = node.id as Node
    if (further.length > 0 || !isSettings(node.init) || pattern.type !== 'ObjectPattern') return
    for (const property of nodesIn(pattern.properties)) {
      const key = property.key as Node | undefined
      if (key && (key.name ?? key.value) === name) taken.push(takenAt(key.start, key.end, property, text))
    }
  })
  return taken
}

/** The property at the end of `settings.collector.port`, if an expression is that. */
function stepsTo(node: Node, steps: readonly string[], isSettings: (node: Node) => boolean): Node | undefined {
  let at: Node = node
  for (const step of steps.toReversed()) {
    if (!isMember(at)) return undefined
    const property = at.property as Node
    if ((at.computed ? property.value : property.name) !== step) return undefined
    at = at.object as Node
  }
  return isSettings(at) ? (node.property as Node) : undefined
}

/** Lines in which code takes a variable, from 1; `place` is where settings have it: `collector.port`. */
export function linesTaking(file: SourceFile, name: string, place: string): readonly number[] {
  const lines = takenIn(file, name, place.split('.')).map(({ start }) => file.text.slice(0, start).split('\n').length)
  return [...new Set(lines)].sort((a, b) => a - b)
}

/**
 * Code that takes a variable by another name. Local names stay, so that nothing else in the file means something new. `isPlace`
 * says that settings have it under its own name.
 */
export function renamedInCode(file: SourceFile, name: string, fresh: string, isPlace: boolean): string {
  const taken = takenIn(file, name, isPlace ? [name] : [])
  if (taken.length === 0) return file.text
  const code = new MagicString(file.text)
  const done = new Set<number>()
  for (const { start, end, local, whole } of taken) {
    if (done.has(start)) continue
    done.add(start)
    const quote = /^['"`]/.exec(file.text.slice(start, end))?.[0] ?? ''
    const written = `${quote}${fresh}${quote}`
    if (whole && whole.local.replace(/\s*=[\s\S]*$/, '') === fresh) code.overwrite(whole.start, whole.end, whole.local)
    else if (local === 'property') code.appendLeft(start, `${fresh}: `)
    else if (local === 'import') code.overwrite(start, end, `${written} as ${name}`)
    else code.overwrite(start, end, written)
  }
  return code.toString()
}
