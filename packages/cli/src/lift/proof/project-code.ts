import { aliasesIn } from '../../code/compiler.js'
import { holdsCode, type Node, walk, withBrackets } from '../../code/parse.js'
import { isTestFile } from '../../code/test-files.js'
import type { Scene } from '../../code/values/evaluate.js'
import { type CodeModule, codeModule } from '../../code/values/modules.js'
import { importedFile } from '../../starts/run-through.js'
import type { Target } from '../change.js'

/** The code of a project as a proof asks for it: each module is read when it is asked for, and once. */
export class ProjectCode {
  readonly #target: Pick<Target, 'read' | 'code'>
  readonly #modules = new Map<string, CodeModule | undefined>()
  readonly #known: ReadonlySet<string>
  readonly #aliases: readonly (readonly [alias: string, path: string])[]
  #texts: readonly string[] | undefined
  readonly #set = new Map<string, boolean>()
  readonly #changed = new Map<string, boolean>()
  readonly #nodes = new Map<CodeModule, ReadonlyMap<string, Node>>()

  constructor(target: Pick<Target, 'read' | 'code'>) {
    this.#target = target
    this.#known = new Set(target.code)
    this.#aliases = aliasesIn(target.read('tsconfig.json') ?? '')
  }

  /** The module in a file; undefined if it is not there, or cannot be parsed. */
  module(path: string): CodeModule | undefined {
    if (!this.#modules.has(path)) {
      const text = holdsCode(path) ? this.#target.read(path) : undefined
      this.#modules.set(path, text === undefined ? undefined : codeModule({ path, text }))
    }
    return this.#modules.get(path)
  }

  /** The outermost node in a range of a module, with the brackets around it or without. Offsets, `[start, end)`. */
  nodeAt(module: CodeModule, { start, end }: { readonly start: number; readonly end: number }): Node | undefined {
    const known = this.#nodes.get(module) ?? nodesOf(module, this.#target.read(module.path) ?? '')
    this.#nodes.set(module, known)
    return known.get(`${start} ${end}`)
  }

  /** Tells whether code gives a variable of its environment a value; that of tests runs at another time. */
  sets(name: string): boolean {
    const known = this.#set.get(name) ?? this.#isSet(name)
    this.#set.set(name, known)
    return known
  }

  #isSet(name: string): boolean {
    const set = new RegExp(`\\benv(?:\\.${name}|\\[['"]${name}['"]\\])\\s*(?:\\?\\?|\\|\\||&&)?=(?!=)`)
    return this.#all().some((text) => text.includes(name) && set.test(text))
  }

  /** What the evaluator asks of a project; `environment` is the only part that differs between scenes. */
  scene(environment: Scene['environment']): Scene {
    return {
      environment,
      imported: (from, source) => this.#imported(from.path, source),
      mayChange: (holder, names) => this.#mayChange(holder, names),
    }
  }

  #imported(from: string, source: string): CodeModule | undefined {
    const path = importedFile(from, source, this.#aliases, (each) => this.#known.has(each))
    return path === undefined ? undefined : this.module(path)
  }

  /** A look at letters: code that sets a member of one of these names, or hands an object on to what sets members. */
  #mayChange(holder: string, names: Iterable<string>): boolean {
    const known = [...names].map((name) => name.replace(/[^\w$]/g, '')).filter((name) => name !== '')
    if (known.length === 0) return false
    const key = `${holder} ${known.join()}`
    const before = this.#changed.get(key)
    if (before !== undefined) return before
    const any = known.map((name) => name.replaceAll('$', '\\$')).join('|')
    const set = new RegExp(`(?:\\.(?:${any})|\\[['"](?:${any})['"]\\])\\s*(?:[-+*/%&|^?]{0,3}=(?![=>])|\\+\\+|--)`)
    // A member that only the code knows, of an object that has the same name there.
    const computed = new RegExp(
      `\\b${holder.replaceAll('$', '\\$')}(?:\\.[\\w$]+)*\\[[^\\]]*\\]\\s*[-+*/%&|^?]{0,3}=(?![=>])`,
    )
    const handedOn =
      /\bObject\.(?:assign|defineProperty|defineProperties|setPrototypeOf)\(\s*(?!\{|process\.env|exports)/
    const found = this.#all().some((text) => set.test(text) || computed.test(text) || handedOn.test(text))
    this.#changed.set(key, found)
    return found
  }

  #all(): readonly string[] {
    this.#texts ??= this.#target.code
      .filter((path) => !isTestFile(path))
      .flatMap((path) => this.#target.read(path) ?? [])
    return this.#texts
  }
}

/** Nodes by their ranges; the outermost of one range, but not a whole file. */
function nodesOf({ programs }: CodeModule, text: string): ReadonlyMap<string, Node> {
  const found = new Map<string, Node>()
  for (const program of programs)
    walk(program, (node) => {
      if (/^(?:File|Program|ExpressionStatement)$/.test(node.type)) return
      const { start, end } = withBrackets(node, text)
      for (const key of [`${start} ${end}`, `${node.start} ${node.end}`]) if (!found.has(key)) found.set(key, node)
    })
  return found
}
