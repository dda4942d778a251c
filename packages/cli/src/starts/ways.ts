import type { Place } from 'mappa'
import { parse, parseDocument } from 'yaml'
import { isContainerFile } from '../code/compose.js'
import { isNode, type Node, nodesIn, overParsed, walk } from '../code/parse.js'
import { lineAndColumn } from '../code/place.js'
import { imageIn, isImageFile, quotedWords } from './image.js'
import { scriptsOf } from './manifest.js'
import { pathIn } from './programs.js'
import type { Load, Start, StartFiles } from './start.js'

/** One way in which a project is started, as a file of it says. */
export interface StartWay extends Omit<Start, 'program'> {
  /** Variables that it sets: undefined where the text comes from elsewhere. */
  readonly sets: ReadonlyMap<string, string | undefined>
  readonly loads: readonly Load[]
  /** The script of the package that it is. */
  readonly script?: string
  /** Where the project lies for the command, from the root, with a slash at its end. */
  readonly folder: string
}

/** Every way that the files of a project say, in the order of those files. */
export function waysOf(files: StartFiles): readonly StartWay[] {
  return [...scriptWays(files), ...files.paths.flatMap((path) => waysIn(path, files))]
}

function waysIn(path: string, files: StartFiles): readonly StartWay[] {
  if (/^(?:[\w-]+\/)?Procfile(?:\.[\w-]+)?$/.test(path)) return processWays(path, files)
  if (isImageFile(path)) return imageWays(path, files)
  if (isContainerFile(path)) return containerWays(path, files)
  if (path.endsWith('.service')) return unitWays(path, files)
  if (/(?:^|\/)(?:ecosystem|process|pm2)(?:\.[\w-]+)*\.(?:[cm]?js|json)$/.test(path))
    return processFileWays(path, files)
  if (/^\.github\/workflows\/[^/]+\.ya?ml$/.test(path)) return jobWays(path, files)
  return []
}

const noVariables: Pick<StartWay, 'sets' | 'loads' | 'folder'> = { sets: new Map(), loads: [], folder: '' }

/** Scripts that a package manager runs by itself at other times than a start. */
const hooks = /^(?:pre|post)?(?:install|publish|publishOnly|pack|version|prepare)$/

function scriptWays({ read }: StartFiles): readonly StartWay[] {
  const text = read('package.json') ?? ''
  return scriptsOf(text).flatMap(({ name, command, start, end }): StartWay[] => {
    if (hooks.test(name)) return []
    return [
      {
        ...noVariables,
        command,
        name: `the script ${JSON.stringify(name)}`,
        form: 'script',
        outer: 'known',
        script: name,
        ...placeAndLine('package.json', text, start, end),
      },
    ]
  })
}

/** The place of a range, and its line as a report shows it. */
function placeAndLine(
  file: string,
  text: string,
  start: number,
  end: number,
): { readonly place: Place; readonly line: string } {
  const { line, column } = lineAndColumn(text, start)
  const from = text.lastIndexOf('\n', start - 1) + 1
  const whole = text.slice(from, text.indexOf('\n', end) < 0 ? text.length : text.indexOf('\n', end))
  return {
    place: { file, line, column, endColumn: column + Math.max(1, end - start) },
    line: whole.split('\n', 1)[0] ?? '',
  }
}

function atLine(file: string, text: string, line: number): { readonly place: Place; readonly line: string } {
  const whole = text.split('\n')[line - 1]?.replace(/\r$/, '') ?? ''
  const column = /\S/.exec(whole)?.index ?? 0
  return { place: { file, line, column: column + 1, endColumn: whole.length + 1 }, line: whole }
}

/** `web: node server.js`: a platform runs it, and sets what its owner has told it. */
function processWays(path: string, { read }: StartFiles): readonly StartWay[] {
  const text = read(path) ?? ''
  return text.split(/\r?\n/).flatMap((line, at): StartWay[] => {
    const [, name, command] = /^([\w-]+):\s*(\S.*)$/.exec(line) ?? []
    if (name === undefined || command === undefined) return []
    const known = {
      ...noVariables,
      command,
      name: `${path} (${name})`,
      form: 'process' as const,
      outer: 'elsewhere' as const,
    }
    return [{ ...known, ...atLine(path, text, at + 1) }]
  })
}

function imageWays(path: string, files: StartFiles): readonly StartWay[] {
  const text = files.read(path) ?? ''
  const image = imageIn(text)
  if (image?.command === undefined) return []
  const { command, sets, line } = image
  return [
    {
      ...noVariables,
      command,
      sets,
      image: path,
      name: path,
      form: 'image',
      outer: 'elsewhere',
      ...atLine(path, text, line),
    },
  ]
}

interface Service {
  readonly command?: unknown
  readonly entrypoint?: unknown
  readonly environment?: unknown
  readonly env_file?: unknown
  readonly build?: unknown
}

/** The services of a container file: what they run themselves, or what their image runs. */
function containerWays(path: string, files: StartFiles): readonly StartWay[] {
  const text = files.read(path) ?? ''
  const folder = path.includes('/') ? path.slice(0, path.lastIndexOf('/') + 1) : ''
  const { services } = (yamlValue(text) ?? {}) as { services?: Readonly<Record<string, Service | null>> }
  return Object.entries(services ?? {}).flatMap(([name, service]): StartWay[] => {
    if (typeof service !== 'object' || service === null || service.build === undefined) return []
    const { context, dockerfile } = builtFrom(service.build)
    // Another project's image runs another project.
    if (pathIn(folder, `${context}/`) !== '' && pathIn(folder, context) !== '') return []
    const imageFile = pathIn('', dockerfile)
    const image = imageIn(files.read(imageFile) ?? '')
    const command =
      service.entrypoint === undefined && service.command === undefined ? image?.command : commandOf(service)
    if (command === undefined) return []
    const sets = new Map([...(image?.sets ?? []), ...variablesOf(service.environment)])
    const named = fileList(service.env_file).map((each) => pathIn(folder, each))
    const loads: Load[] =
      named.length === 0 ? [] : [{ kind: 'files', reader: 'compose', by: 'env_file', files: named.toReversed() }]
    const at = Math.max(text.search(new RegExp(`^\\s+${name.replace(/[^\w-]/g, '.')}\\s*:`, 'm')), 0)
    const line = text.slice(0, at).split('\n').length + (text[at] === '\n' ? 1 : 0)
    return [
      {
        command,
        sets,
        loads,
        folder: '',
        ...(image && { image: imageFile }),
        name: `${path} (${name})`,
        form: 'container',
        outer: 'known',
        ...atLine(path, text, line),
      },
    ]
  })
}

function builtFrom(build: unknown): { readonly context: string; readonly dockerfile: string } {
  if (typeof build === 'string') return { context: build, dockerfile: 'Dockerfile' }
  const { context, dockerfile } = build as { context?: unknown; dockerfile?: unknown }
  return {
    context: typeof context === 'string' ? context : '.',
    dockerfile: typeof dockerfile === 'string' ? dockerfile : 'Dockerfile',
  }
}

function commandOf({ command, entrypoint }: Service): string | undefined {
  const parts = [entrypoint, command].flatMap((each) =>
    Array.isArray(each) ? [quotedWords(each.map(String))] : typeof each === 'string' ? [each] : [],
  )
  return parts.length === 0 ? undefined : parts.join(' ')
}

/** `environment:` as a map or a list; what names no value, or is filled in, comes from elsewhere. */
function variablesOf(environment: unknown): [name: string, value: string | undefined][] {
  const pairs: [string, unknown][] = Array.isArray(environment)
    ? environment.map((each) => {
        const [, name = '', value] = /^([^=]*)(?:=([\s\S]*))?$/.exec(String(each)) ?? []
        return [name, value]
      })
    : Object.entries((environment ?? {}) as object)
  return pairs.map(([name, value]) => {
    const text = value === null || value === undefined ? undefined : String(value)
    return [name, text === undefined || /\$(?!\$)/.test(text) ? undefined : text.replaceAll('$$', '$')]
  })
}

function fileList(named: unknown): string[] {
  return [named].flat().flatMap((each) => {
    if (typeof each === 'string') return [each]
    const { path } = (each ?? {}) as { path?: unknown }
    return typeof path === 'string' ? [path] : []
  })
}

function yamlValue(text: string): unknown {
  try {
    return parseDocument(text).errors.length > 0 ? undefined : parse(text, { merge: true })
  } catch {
    return undefined
  }
}

/** A unit of the service manager: what it sets itself, and files that it reads, which may lie outside the project. */
function unitWays(path: string, { read }: StartFiles): readonly StartWay[] {
  const text = read(path) ?? ''
  const lines = text.split(/\r?\n/)
  const at = lines.findIndex((line) => /^\s*ExecStart\s*=/.test(line))
  const command = lines[at]?.replace(/^\s*ExecStart\s*=\s*[-@:+!|]*/, '').trim()
  if (!command) return []
  const sets = new Map<string, string | undefined>()
  for (const line of lines) {
    const given = /^\s*Environment\s*=\s*(.*)$/.exec(line)?.[1] ?? ''
    for (const [, quoted, plain] of given.matchAll(/"((?:[^"\\]|\\.)*)"|(\S+)/g)) {
      const [, name, value] = /^([A-Za-z_]\w*)=([\s\S]*)$/.exec(quoted ?? plain ?? '') ?? []
      if (name !== undefined) sets.set(name, value)
    }
  }
  const wordsOf = (word: string) =>
    lines.flatMap((line) => new RegExp(`^\\s*${word}\\s*=\\s*-?(.*?)\\s*$`).exec(line)?.[1] ?? [])
  const [folder] = wordsOf('WorkingDirectory')
  const loads = wordsOf('EnvironmentFile').map((file): Load => {
    // Where the unit runs in the project's folder, its files are the project's.
    const own = folder && file.startsWith(`${folder}/`) ? file.slice(folder.length + 1) : undefined
    return own !== undefined && read(own) !== undefined
      ? { kind: 'files', reader: 'service-manager', by: 'EnvironmentFile', files: [own] }
      : { kind: 'unknown', by: 'EnvironmentFile' }
  })
  return [
    {
      ...noVariables,
      command,
      sets,
      // A later file wins.
      loads: loads.reverse(),
      name: path,
      form: 'unit',
      outer: 'elsewhere',
      ...atLine(path, text, at + 1),
    },
  ]
}

/** The programs of a process manager's file: objects with a `script`, as far as they are written out. */
function processFileWays(path: string, { read }: StartFiles): readonly StartWay[] {
  const text = read(path) ?? ''
  const found: StartWay[] = []
  const source = { path: path.replace(/\.json$/, '.js'), text: path.endsWith('.json') ? `(${text})` : text }
  overParsed(source, ({ programs }) => {
    for (const program of programs)
      walk(program, (node) => {
        if (node.type !== 'ObjectExpression') return
        const member = (name: string) => memberNode(node, name)
        const script = member('script')
        if (script?.type !== 'StringLiteral') return
        const words = ['node_args', 'interpreter_args'].flatMap((name) => literalTexts(member(name)))
        const shift = path.endsWith('.json') ? 1 : 0
        const command = [`node`, ...words, String(script.value), ...literalTexts(member('args'))].join(' ')
        const env = member('env')
        const sets = new Map(
          nodesIn(env?.properties).flatMap((each): [string, string | undefined][] => {
            const key = each.key as Node | undefined
            const value = each.value as Node | undefined
            const name = key?.type === 'Identifier' ? key.name : key?.value
            const isPlain = value && /^(?:String|Numeric|Boolean)Literal$/.test(value.type)
            return typeof name === 'string' ? [[name, isPlain ? String(value.value) : undefined]] : []
          }),
        )
        const name = member('name')
        found.push({
          ...noVariables,
          // Such a manager runs scripts of a package manager, too.
          command: /^(?:npm|yarn|pnpm)$/.test(String(script.value)) ? command.replace(/^node /, '') : command,
          sets,
          name: name?.type === 'StringLiteral' ? `${path} (${String(name.value)})` : path,
          form: 'process',
          outer: 'elsewhere',
          ...placeAndLine(path, text, script.start - shift, script.end - shift),
        })
      })
    return {}
  })
  return found
}

function memberNode(object: Node, name: string): Node | undefined {
  const found = nodesIn(object.properties).find(({ key }) => {
    const { type, name: own, value } = (key ?? {}) as Node & { name?: unknown; value?: unknown }
    return type === 'Identifier' ? own === name : value === name
  })
  return isNode(found?.value) ? (found.value as Node) : undefined
}

function literalTexts(node: Node | undefined): string[] {
  if (node?.type === 'StringLiteral') return [String(node.value)]
  return nodesIn(node?.elements).flatMap((each) => (each.type === 'StringLiteral' ? [String(each.value)] : []))
}

/** Commands of CI jobs: a service runs them, with what it has been given. */
function jobWays(path: string, { read }: StartFiles): readonly StartWay[] {
  const text = read(path) ?? ''
  const workflow = (yamlValue(text) ?? {}) as { env?: unknown; jobs?: Readonly<Record<string, unknown>> }
  return Object.entries(workflow.jobs ?? {}).flatMap(([name, job]) => {
    const { env, steps } = (job ?? {}) as { env?: unknown; steps?: unknown }
    return (Array.isArray(steps) ? steps : []).flatMap((step: unknown): StartWay[] => {
      const { run, env: own } = (step ?? {}) as { run?: unknown; env?: unknown }
      if (typeof run !== 'string') return []
      const sets = new Map([workflow.env, env, own].flatMap(variablesOf))
      const at = Math.max(text.indexOf(run.split('\n', 1)[0] ?? ''), 0)
      const line = text.slice(0, at).split('\n').length
      return [
        {
          ...noVariables,
          command: run,
          sets,
          name: `${path} (${name})`,
          form: 'job',
          outer: 'elsewhere',
          ...atLine(path, text, line),
        },
      ]
    })
  })
}
