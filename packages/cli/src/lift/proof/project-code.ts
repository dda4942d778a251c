import { aliasesOf } from '../../code/compiler.js'
import { holdsCode, isNode, type Node, nodesIn, walk, withBrackets } from '../../code/parse.js'
import { identifierIn, isMember } from '../../code/reads.js'
import { isTestFile } from '../../code/test-files.js'
import type { NameUse } from '../../code/values/bindings.js'
import type { Scene } from '../../code/values/evaluate.js'
import { type CodeModule, codeModule } from '../../code/values/modules.js'
import { sourcesIn } from '../../starts/packages.js'
import { importedFile } from '../../starts/run-through.js'
import type { Target } from '../change.js'

/** The code of a project as a proof asks for it: each module is read when it is asked for, and once. */
export class ProjectCode {
  readonly #target: Pick<Target, 'read' | 'code'>
  readonly #modules = new Map<string, CodeModule | undefined>()
  readonly #known: ReadonlySet<string>
  readonly #aliases: readonly (readonly [alias: string, path: string])[]
  #texts: readonly string[] | undefined
  #output: readonly string[] | undefined
  readonly #set = new Map<string, boolean>()
  readonly #changed = new Map<string, boolean>()
  readonly #above = new Map<CodeModule, ReadonlyMap<Node, Node | undefined>>()
  readonly #reached = new Map<string, ReadonlySet<string>>()
  readonly #nodes = new Map<CodeModule, ReadonlyMap<string, Node>>()

  constructor(target: Pick<Target, 'read' | 'code'>) {
    this.#target = target
    this.#known = new Set(target.code)
    this.#aliases = aliasesOf(target.read)
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

  /** A node of a module with what it is in. */
  useAt(module: CodeModule, node: Node): NameUse | undefined {
    const above = this.#above.get(module) ?? parentsOf(module)
    this.#above.set(module, above)
    if (!above.has(node)) return undefined
    const parents: Node[] = []
    for (let at = above.get(node); at; at = above.get(at)) parents.push(at)
    return { node, parents: parents.reverse() }
  }

  /** The files that a module loads, itself among them: those that any of its words may load, or those that it loads in any case. */
  reachedFrom(entry: string, how: 'possible' | 'certain'): ReadonlySet<string> {
    const key = `${how} ${entry}`
    const known = this.#reached.get(key)
    if (known) return known
    const found = new Set([entry])
    for (const path of found) {
      const module = how === 'certain' ? this.module(path) : undefined
      const sources =
        how === 'possible'
          ? sourcesIn(this.#target.read(path) ?? '')
          : module
            ? loadsOf(module).map(({ source }) => source)
            : []
      for (const source of sources) {
        const own = this.#fileOf(path, source)
        if (own !== undefined) found.add(own)
      }
    }
    this.#reached.set(key, found)
    return found
  }

  /** The uses of what a module exports under a name (`module.exports` for the whole), in the modules that import it. */
  importsOf(path: string, name: string): readonly { readonly uses: readonly NameUse[]; readonly from: CodeModule }[] {
    const stem = path.replace(/(?:\/index)?\.[cm]?[jt]sx?$/, '').replace(/^.*\//, '')
    return this.#target.code.flatMap((other) => {
      if (isTestFile(other) || !this.#target.read(other)?.includes(stem)) return []
      const from = this.module(other)
      if (!from) return []
      const uses = loadsOf(from).flatMap(({ source, names }) =>
        this.#fileOf(other, source) === path ? usesOfNames(names, name, from) : [],
      )
      return uses.length === 0 ? [] : [{ uses, from }]
    })
  }

  /** Tells whether a file that a program loads, and that is no source of the project, has a name in its text: build output. */
  isNamedInOutput(name: string, entries: readonly string[]): boolean {
    this.#output ??= [...new Set(entries.flatMap((entry) => [...this.reachedFrom(entry, 'possible')]))].flatMap(
      (path) => (this.#known.has(path) ? [] : (this.#target.read(path) ?? [])),
    )
    return this.#output.some((text) => text.includes(name))
  }

  #fileOf(from: string, source: string): string | undefined {
    const isOutput = !this.#known.has(from)
    return importedFile(
      from,
      source,
      this.#aliases,
      (each) => this.#known.has(each) || (isOutput && this.#target.read(each) !== undefined),
    )
  }

  /** Tells whether code gives a variable of its environment a value; that of tests runs at another time. */
  sets(name: string): boolean {
    const known = this.#set.get(name) ?? this.#isSet(name)
    this.#set.set(name, known)
    return known
  }

  /** The first test file that sets a variable while it runs, or removes it; undefined if none does. */
  setByTest(name: string): string | undefined {
    const own = `(?:\\.${name}\\b|\\[['"]${name}['"]\\])`
    const set = new RegExp(
      `\\benv${own}\\s*(?:\\?\\?|\\|\\||&&)?=(?!=)|\\bdelete\\s+process\\.env${own}|\\bstubEnv\\(\\s*['"]${name}['"]`,
    )
    // The whole environment is replaced, or takes members of an object.
    const whole = /\bprocess\.env\s*=(?!=)|\bObject\.assign\(\s*process\.env\b/
    return this.#target.code.filter(isTestFile).find((path) => {
      const text = this.#target.read(path) ?? ''
      return text.includes(name) && (set.test(text) || (whole.test(text) && new RegExp(`\\b${name}\\b`).test(text)))
    })
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

  /** The module that another one imports by a path or an alias. */
  imported(from: CodeModule, source: string): CodeModule | undefined {
    return this.#imported(from.path, source)
  }

  /** The modules of some files, those that may import them, and those that may import these; not of tests. */
  modulesNear(paths: ReadonlySet<string>): readonly CodeModule[] {
    const found = new Set(paths)
    for (let round = 0; round < 2; round++) {
      const stems = [...found].map((path) => path.replace(/(?:\/index)?\.[cm]?[jt]sx?$/, '').replace(/^.*\//, ''))
      const isNear = (text: string) => stems.some((stem) => text.includes(stem))
      for (const path of this.#target.code)
        if (!isTestFile(path) && !found.has(path) && isNear(this.#target.read(path) ?? '')) found.add(path)
    }
    return [...found].flatMap((path) => this.module(path) ?? [])
  }

  #imported(from: string, source: string): CodeModule | undefined {
    const path = this.#fileOf(from, source)
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

/** What each node of a module is in: thousands of places of one file are asked about. */
function parentsOf({ programs }: CodeModule): ReadonlyMap<Node, Node | undefined> {
  const found = new Map<Node, Node | undefined>()
  for (const program of programs) walk(program, (node, parents) => void found.set(node, parents.at(-1)))
  return found
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

/** A module that another one loads in any case, and the names that take something of it: all of it under `*`. */
interface StaticLoad {
  readonly source: string
  readonly names: readonly { readonly taken: string; readonly identifier: Node }[]
}

/** What the top of a module loads. */
function loadsOf({ programs }: CodeModule): readonly StaticLoad[] {
  return programs
    .flatMap((file) => nodesIn((file.program as Node | undefined)?.body))
    .flatMap((node): StaticLoad[] => {
      if (node.importKind === 'type' || node.exportKind === 'type') return []
      if (/^(?:Import|ExportNamed|ExportAll)Declaration$/.test(node.type) && isNode(node.source))
        return [{ source: String(node.source.value), names: nodesIn(node.specifiers).flatMap(takenBy) }]
      if (node.type === 'ExpressionStatement') return loadedByRequire(node.expression, undefined)
      return node.type === 'VariableDeclaration'
        ? nodesIn(node.declarations).flatMap(({ init, id }) => loadedByRequire(init, id))
        : []
    })
}

function takenBy({ type, local, imported }: Node): StaticLoad['names'] {
  if (!isNode(local)) return []
  if (type === 'ImportDefaultSpecifier') return [{ taken: 'default', identifier: local }]
  if (type === 'ImportNamespaceSpecifier') return [{ taken: '*', identifier: local }]
  const name = isNode(imported) ? String(imported.name ?? imported.value) : undefined
  return name === undefined ? [] : [{ taken: name, identifier: local }]
}

/** `require('…')`, alone or in front of a call or a member. */
function loadedByRequire(expression: unknown, id: unknown): StaticLoad[] {
  if (!isNode(expression)) return []
  const { type, callee, object, arguments: given } = expression
  const [first] = nodesIn(given)
  if (type !== 'CallExpression' || identifierIn(callee) !== 'require' || first?.type !== 'StringLiteral')
    return loadedByRequire(
      type === 'CallExpression' ? callee : type === 'MemberExpression' ? object : undefined,
      undefined,
    )
  const source = String(first.value)
  if (!isNode(id)) return [{ source, names: [] }]
  if (id.type === 'Identifier') return [{ source, names: [{ taken: '*', identifier: id }] }]
  const names = nodesIn(id.properties).flatMap(({ key, value }) => {
    const taken = identifierIn(key)
    return taken !== undefined && isNode(value) && value.type === 'Identifier' ? [{ taken, identifier: value }] : []
  })
  return [{ source, names }]
}

/** The uses of one exported name; those of all of a module where its member is taken. */
function usesOfNames(names: StaticLoad['names'], name: string, { bindings }: CodeModule): readonly NameUse[] {
  return names.flatMap(({ taken, identifier }): readonly NameUse[] => {
    const binding = bindings.of(identifier)
    if (!binding?.isConstant) return []
    if (taken === name || (taken === '*' && name === 'module.exports')) return binding.uses
    if (taken !== '*') return []
    return binding.uses.flatMap(({ parents }): NameUse[] => {
      const parent = parents.at(-1)
      const isIt = parent && isMember(parent) && parent.computed !== true && identifierIn(parent.property) === name
      return isIt ? [{ node: parent, parents: parents.slice(0, -1) }] : []
    })
  })
}
