import { parseExpression } from '@babel/parser'
import { isNode, type Node, nodesIn } from './parse.js'

/** The TypeScript compiler's output for a package, as far as its settings tell. */
export interface Compiler {
  /** The modules that come of it; other kinds than these two no form of ours fits. */
  readonly modules: 'esm' | 'commonjs' | 'other'
  /** True if `import.meta` may be in what is compiled. */
  readonly takesImportMeta: boolean
  /** True if files come of it; else a bundler or a loader reads the sources. */
  readonly emits: boolean
  /** The folder that alone is looked at, where that is not the root: a declaration elsewhere must be named in it. */
  readonly looksIn: string | undefined
  /** The folder that all of it is in, from the root, with a slash: `src/`; empty for the root itself. */
  readonly folder: string
}

/** Facts about the files of a package. Paths are from its root. */
export interface PackageFiles {
  readonly read: (path: string) => string | undefined
  /** Every file that holds code. */
  readonly code: readonly string[]
}

/**
 * `tsconfig.json` merged with the files that it extends, or of the projects that it only refers to the one that has most of the code;
 * undefined without one, or if it cannot be read.
 */
export function compilerOf({ read, code }: PackageFiles): Compiler | undefined {
  const found = mainConfig(read, code)
  if (!found) return undefined
  const { compilerOptions: own = {}, include, files } = found
  const options = own as Readonly<Record<string, unknown>>
  const isModule = /"type"\s*:\s*"module"/.test(read('package.json') ?? '')
  const kind = String(options.module ?? '').toLowerCase()
  const target = String(options.target ?? '').toLowerCase()
  const modules = modulesOf(kind, target, isModule)
  const emits = options.noEmit !== true && options.emitDeclarationOnly !== true
  return {
    modules,
    takesImportMeta:
      modules === 'esm' && !/^es(?:6|2015)$/.test(kind) && (kind !== '' || /^es20[2-9]|^esnext/.test(target)),
    emits,
    looksIn: looksIn(include),
    folder: folderOf(options, include, files, emits, code),
  }
}

/** The folders that the projects of a package look in alone, of all that `tsconfig.json` refers to. */
export function foldersLookedIn({ read }: Pick<PackageFiles, 'read'>): readonly string[] {
  return [...new Set(configsOf(read).flatMap(({ include }) => looksIn(include) ?? []))]
}

/** `tsconfig.json` and those that it refers to; one that only refers to others is left out. */
function configsOf(read: PackageFiles['read']): readonly Config[] {
  const own = configAt('tsconfig.json', read)
  if (!own) return []
  const references: readonly unknown[] = Array.isArray(own.references) ? own.references : []
  const referred = references.flatMap((each) => {
    const { path } = (each ?? {}) as { readonly path?: unknown }
    const at = pathFrom('', String(path ?? ''))
    const file = at.endsWith('.json') ? at : `${at}/tsconfig.json`
    const found = at === '' || at.startsWith('..') ? undefined : configAt(file, read)
    return found ? [found] : []
  })
  const isList = referred.length > 0 && Array.isArray(own.files) && own.files.length === 0 && own.include === undefined
  return isList ? referred : [own, ...referred]
}

function mainConfig(read: PackageFiles['read'], code: readonly string[]): Config | undefined {
  const configs = configsOf(read)
  const own = configs.find(({ references }) => references !== undefined)
  if (own) return own
  const share = ({ include }: Config) => {
    const folder = looksIn(include)
    return folder === undefined ? 0 : code.filter((path) => path.startsWith(`${folder}/`)).length
  }
  return configs.toSorted((one, other) => share(other) - share(one))[0]
}

function modulesOf(kind: string, target: string, isModule: boolean): Compiler['modules'] {
  if (kind === 'commonjs') return 'commonjs'
  if (/^(?:node\d+|nodenext)$/.test(kind)) return isModule ? 'esm' : 'commonjs'
  if (/^(?:amd|umd|system|none)$/.test(kind)) return 'other'
  if (kind === '') return isModule || !/^(?:|es3|es5)$/.test(target) ? 'esm' : 'commonjs'
  return 'esm'
}

/** Finds where the compiler takes files from alone: elsewhere a file would not be compiled, or would move what comes of the others. */
function folderOf(
  { rootDir, outDir }: Readonly<Record<string, unknown>>,
  include: unknown,
  files: unknown,
  emits: boolean,
  code: readonly string[],
): string {
  // A bundler or a loader takes what is imported, wherever it is.
  if (!emits) return ''
  if (typeof rootDir === 'string') return asFolder(rootDir)
  const compiled = code.filter((path) => /\.[cm]?tsx?$/.test(path) && !/\.d\.[cm]?ts$/.test(path))
  const listed = [include, files].flatMap((list) => (Array.isArray(list) ? list.map(String) : []))
  const firsts = (listed.length > 0 ? listed : compiled).map((each) => {
    const [, first = ''] = /^(?:\.\/)?([^/*]+)\//.exec(each.replace(/^(?:\.\/)?([^/*.]+)$/, '$1/')) ?? []
    return first
  })
  const [only = ''] = firsts
  // Without an output folder what comes of a file lies beside it.
  return only !== '' && firsts.every((each) => each === only) && (outDir !== undefined || listed.length > 0)
    ? `${only}/`
    : ''
}

function looksIn(include: unknown): string | undefined {
  if (!Array.isArray(include)) return undefined
  const folders = include.map((each) => /^(?:\.\/)?([\w.-]+)(?:\/.*)?$/.exec(String(each))?.[1])
  const [first] = folders
  return first !== undefined && folders.every((each) => each !== undefined && !/\.d?\.?ts$/.test(each))
    ? first
    : undefined
}

function asFolder(path: string): string {
  const plain = path.replace(/^\.\/|\/$/g, '')
  return plain === '' || plain === '.' ? '' : `${plain}/`
}

/** The aliases of `tsconfig.json` and of those that it extends or refers to, or of `jsconfig.json`. */
export function aliasesOf(read: PackageFiles['read']): ReturnType<typeof aliasesIn> {
  const configs = configsOf(read)
  const all = configs.length > 0 ? configs : [configAt('jsconfig.json', read)].flatMap((each) => each ?? [])
  return (all as readonly Config[]).flatMap((each) => aliasesFrom(each))
}

/** The aliases of a `tsconfig.json`, in front of the paths from the root that they stand for: `@/` for `src/`. */
export function aliasesIn(text: string): readonly (readonly [alias: string, path: string])[] {
  return aliasesFrom((valueIn(text) ?? {}) as Config)
}

function aliasesFrom({ compilerOptions = {} }: Config): readonly (readonly [alias: string, path: string])[] {
  const { paths, baseUrl } = compilerOptions
  const base = typeof baseUrl === 'string' ? asFolder(baseUrl) : ''
  const mapped = Object.entries((paths ?? {}) as Readonly<Record<string, unknown>>).flatMap(([alias, targets]) => {
    const [first] = Array.isArray(targets) ? (targets as unknown[]) : []
    const isFolder = alias.endsWith('*') && typeof first === 'string'
    const pair: [string, string] = [alias.slice(0, -1), base + String(first).replace(/^\.\/|\*$/g, '')]
    return isFolder ? [pair] : []
  })
  return typeof baseUrl === 'string' ? [...mapped, ['', base]] : mapped
}

type Config = Readonly<Record<string, unknown>> & { readonly compilerOptions?: Readonly<Record<string, unknown>> }

/** Files may extend each other so often. */
const extendsMax = 8

/** A configuration with those that it extends beneath it; paths in those are taken as the extending one's. */
function configAt(path: string, read: PackageFiles['read'], depth = 0): Config | undefined {
  const text = read(path)
  const own = text === undefined ? undefined : (valueIn(text) as Config | undefined)
  if (!own || depth > extendsMax) return own
  const list = [own.extends].flat().flatMap((each) => (typeof each === 'string' ? [each] : []))
  const folder = path.split('/').slice(0, -1).join('/')
  const beneath = list.flatMap((each): readonly Config[] => {
    const file = each.startsWith('.') ? pathFrom(folder, each) : `node_modules/${each}`
    const found = configAt(file, read, depth + 1) ?? configAt(`${file}.json`, read, depth + 1)
    return found ? [found] : []
  })
  const options = Object.assign({}, ...beneath.map(({ compilerOptions }) => compilerOptions), own.compilerOptions)
  return { ...Object.assign({}, ...beneath), ...own, compilerOptions: options }
}

function pathFrom(folder: string, path: string): string {
  const steps = folder === '' ? [] : folder.split('/')
  for (const step of path.split('/')) {
    if (step === '..' && steps.length > 0 && steps.at(-1) !== '..') steps.pop()
    else if (step !== '.' && step !== '') steps.push(step)
  }
  return steps.join('/')
}

/** JSON with comments and trailing commas, as the compiler reads it. */
function valueIn(text: string): unknown {
  try {
    return literalValue(parseExpression(text.replace(/^\uFEFF/, '')) as unknown as Node)
  } catch {
    return undefined
  }
}

function literalValue(node: unknown): unknown {
  if (!isNode(node)) return undefined
  if (node.type === 'ObjectExpression')
    return Object.fromEntries(
      nodesIn(node.properties).map(({ key, value }) => [
        String((key as Node).value ?? (key as Node).name),
        literalValue(value),
      ]),
    )
  if (node.type === 'ArrayExpression') return nodesIn(node.elements).map(literalValue)
  return node.value
}
