import { isCodeFile, programFile } from './entry.js'
import { binOf } from './packages.js'
import { commandsIn, isComputed, type ShellWord, type SimpleCommand } from './shell.js'
import type { Load, Program, StartFiles } from './start.js'

/** What a command line runs in, as it is read: what outer commands have set, and where they stand. */
export interface CommandScene {
  readonly files: StartFiles
  /** The scripts of the package. */
  readonly scripts: ReadonlyMap<string, string>
  /** The working directory from the root, with a slash at its end; empty for the root. */
  readonly folder: string
  readonly sets: ReadonlyMap<string, string | undefined>
  readonly loads: readonly Load[]
  /** The scripts that it comes through. */
  readonly through: readonly string[]
}

/** Programs that only start another, with a pattern of the words that are theirs. */
const launchers: Readonly<Record<string, RegExp>> = {
  exec: /^$/,
  time: /^-p$/,
  nohup: /^$/,
  command: /^$/,
  nice: /^-n?\d*$|^\d+$/,
  timeout: /^-|^\d+[smhd]?$/,
  tini: /^-/,
  'dumb-init': /^-/,
  setsid: /^-/,
}

/** Commands that neither run a program of the project nor change what one gets. */
const preparing =
  /^(?:echo|printf|true|false|:|test|\[|mkdir|rm|cp|mv|touch|sleep|ls|cat|chmod|chown|ln|tsc|rimraf|wait-on|open|git|set|umask|ulimit|pwd|which|exit|trap|if|then|fi|else|do|done)$/

/** Scripts within scripts, so deep. */
const scriptDepthMax = 10

/** The programs that a command line runs, in its order; commands that only prepare are left out. */
export function programsOf(command: string, scene: CommandScene): readonly Program[] {
  const found: Program[] = []
  let { sets, loads, folder } = scene
  let exportsAll = false
  for (const part of commandsIn(command)) {
    const own = new Map(sets)
    for (const { name, value, written } of part.assignments) own.set(name, isComputed(written) ? undefined : value)
    const [first, ...others] = part.words
    if (!first) {
      // Without a command they are the shell's own: only what is exported reaches a program.
      if (exportsAll) sets = own
      continue
    }
    const name = first.text
    if (name === 'set') exportsAll = others.some(({ text }) => /^-\w*a|^allexport$/.test(text)) || exportsAll
    else if (name === 'export') {
      const exported = exportedBy(part, command)
      sets = new Map([...sets, ...exported.sets])
      loads = [...loads, ...exported.loads]
    } else if (name === 'source' || name === '.') {
      const [file] = others
      if (file && !file.computed && exportsAll)
        loads = [...loads, { kind: 'files', reader: 'shell', by: 'the shell', files: [pathIn(folder, file.text)] }]
      else loads = [...loads, { kind: 'unknown', by: 'the shell' }]
    } else if (name === 'cd' && others[0] && !others[0].computed) folder = pathIn(folder, `${others[0].text}/`)
    else if (!preparing.test(name))
      for (const program of runBy(part.words, part, { ...scene, sets: own, loads, folder })) found.push(program)
  }
  return found
}

/** `export A=b`, and `export $(… .env …)`, which gives what the file says in a way of its own. */
function exportedBy({ words }: SimpleCommand, command: string) {
  const sets = new Map<string, string | undefined>()
  const loads: Load[] = []
  for (const { text, computed } of words.slice(1)) {
    const [, name, value] = /^([A-Za-z_]\w*)=([\s\S]*)$/.exec(text) ?? []
    if (name !== undefined) sets.set(name, computed ? undefined : value)
    else if (computed) loads.push({ kind: 'unknown', by: 'the shell' })
  }
  if (/\$\(|`/.test(command) && sets.size === 0 && loads.length === 0) loads.push({ kind: 'unknown', by: 'the shell' })
  return { sets, loads }
}

/** The programs that the words of one command run. */
function runBy(words: readonly ShellWord[], part: SimpleCommand, scene: CommandScene): readonly Program[] {
  const [first, ...rest] = words
  if (!first) return []
  const name = first.text.replace(/^.*\//, '').replace(/\.cmd$/, '')
  const unknown = (why: string): readonly Program[] => [programIn(scene, { unknown: why })]
  if (scene.through.length > scriptDepthMax) return unknown('Its scripts run each other.')
  if (first.computed) return unknown('Only a shell can tell what it runs.')
  if (part.setter[0] !== undefined && part.setter[0] !== 'env' && first.text.startsWith('-'))
    return unknown(`${part.setter[0]} starts it in its own way.`)
  const launcher = Object.hasOwn(launchers, name) ? launchers[name] : undefined
  if (launcher) {
    let at = 0
    while (at < rest.length && rest[at]?.text !== '--' && launcher.test(rest[at]?.text ?? '')) at++
    return runBy(rest.slice(rest[at]?.text === '--' ? at + 1 : at), part, scene)
  }
  if (/^(?:sh|bash|dash|zsh)$/.test(name)) {
    const at = rest.findIndex(({ text }) => /^-\w*c$/.test(text))
    const line = rest[at + 1]
    if (at >= 0 && line && !line.computed) return programsOf(line.text, scene)
    return unknown('A shell script starts it.')
  }
  if (name === 'mappa') return withMappa(rest, part, scene) ?? []
  if (packageManagers.has(name)) return byManager(name, rest, part, scene) ?? unknown(`${name} starts it.`)
  if (/^npx|pnpx|bunx$/.test(name)) {
    const at = rest.findIndex(({ text }) => !/^-(?:y|-yes|-no-install)$|^--$/.test(text))
    return runBy(rest.slice(Math.max(at, 0)), part, scene)
  }
  if (name === 'bun' || name === 'deno') return [programIn(scene, { unknown: `${name} may read layer files itself.` })]
  if (/^node(?:js)?$/.test(name)) return [nodeProgram(rest, first, scene)]
  if (/^(?:docker|podman|nerdctl)$/.test(name)) return [containerProgram(rest, scene)]
  if (name === 'vite') return [builderProgram(rest, scene)]
  if (/^(?:run-[ps]|npm-run-all\d?|concurrently)$/.test(name)) return several(rest, scene)
  return toolProgram(first, rest, scene)
}

function programIn(scene: CommandScene, more: Partial<Program>): Program {
  return {
    modules: [],
    loads: scene.loads,
    packages: [],
    sets: scene.sets,
    scripts: scene.through,
    ...more,
  }
}

/** `mappa with [stage] -- command`. Other commands of Mappa run nothing of the project. */
function withMappa(
  words: readonly ShellWord[],
  part: SimpleCommand,
  scene: CommandScene,
): readonly Program[] | undefined {
  if (words[0]?.text !== 'with' && words[0]?.text !== 'witness') return undefined
  const at = words.findIndex(({ text }) => text === '--')
  const own = at < 0 ? words.slice(1) : words.slice(1, at)
  const option = own.findIndex(({ text }) => text === '--stage')
  const given = own.find(({ text }) => text.startsWith('--stage='))?.text.slice('--stage='.length)
  const stage = given ?? (option >= 0 ? own[option + 1]?.text : own.find(({ text }) => /^[a-z]/.test(text))?.text)
  const loads = words[0].text === 'with' ? [...scene.loads, { kind: 'mappa' as const, stage }] : scene.loads
  return at < 0 ? [] : runBy(words.slice(at + 1), part, { ...scene, loads })
}

const packageManagers: ReadonlySet<string> = new Set(['npm', 'yarn', 'pnpm', 'bun'])
/** Words of package packageManagers that run nothing of the project's own programs. */
const chores =
  /^(?:ci|install|i|add|remove|rm|update|up|audit|pack|publish|version|outdated|dedupe|prune|link|config|cache|rebuild|set|why|ls|list|help|login|whoami)$/

/** `npm run NAME`, `yarn NAME`, `pnpm exec tool`: the script or the tool; undefined if another package is meant. */
function byManager(
  name: string,
  words: readonly ShellWord[],
  part: SimpleCommand,
  scene: CommandScene,
): readonly Program[] | undefined {
  const isQuiet = (text: string) => /^(?:-s|--silent|--if-present|--no-\w+|--color|--loglevel=\w+)$/.test(text)
  const plain = words.filter(({ text }) => !isQuiet(text))
  const [verb, ...rest] = plain
  if (!verb) return name === 'yarn' ? [] : undefined
  if (verb.text.startsWith('-')) return undefined
  if (chores.test(verb.text)) return []
  if (verb.text === 'exec' || verb.text === 'dlx' || verb.text === 'x')
    return runBy(rest[0]?.text === '--' ? rest.slice(1) : rest, part, scene)
  const isRun = verb.text === 'run' || verb.text === 'run-script'
  const [script, ...args] = isRun ? rest : plain
  if (!script || script.text.startsWith('-')) return isRun ? [] : undefined
  const wanted = name === 'npm' && !isRun ? npmWords[script.text] : script.text
  if (wanted === undefined) return undefined
  const own = byScript(wanted, args, scene)
  if (own) return own
  // Yarn and pnpm run tools by their names, too.
  return name !== 'npm' && !isRun ? runBy(plain, part, scene) : undefined
}

const npmWords: Readonly<Record<string, string>> = {
  start: 'start',
  test: 'test',
  t: 'test',
  stop: 'stop',
  restart: 'restart',
}

/** The programs of a script, with further arguments behind its last command. */
function byScript(name: string, args: readonly ShellWord[], scene: CommandScene): readonly Program[] | undefined {
  const command = scene.scripts.get(name)
  if (command === undefined || scene.through.includes(name)) return undefined
  const more = args.filter(({ text }, at) => !(text === '--' && at === 0)).map(({ text }) => ` ${text}`)
  const nested = { ...scene, folder: '', through: [...scene.through, name] }
  return programsOf(command + more.join(''), nested).map((program) => ({ ...program, at: undefined }))
}

/** Several scripts at once, by their names or as whole commands. */
function several(words: readonly ShellWord[], scene: CommandScene): readonly Program[] {
  return words.flatMap(({ text }) => {
    const name = text.replace(/^npm:/, '')
    if (scene.scripts.has(name)) return byScript(name, [], scene) ?? []
    if (/\s/.test(text)) return programsOf(text, scene)
    // A pattern of names: `dev:*`.
    const lead = /^([\w:-]+:)\*+$/.exec(name)?.[1]
    const named = lead === undefined ? [] : [...scene.scripts.keys()].filter((each) => each.startsWith(lead))
    return named.flatMap((each) => byScript(each, [], scene) ?? [])
  })
}

/** Flags of Node that take a word of their own (Node's documentation, Command-line API). */
const withValue =
  /^(?:-r|--require|--import|-C|--conditions|--loader|--experimental-loader|--env-file|--env-file-if-exists|--title|--watch-path|--test-name-pattern|--test-reporter|--test-reporter-destination|--icu-data-dir|--openssl-config|--input-type|--stack-trace-limit|--max-http-header-size|--inspect-port|--disable-warning)$/

function nodeProgram(words: readonly ShellWord[], runtime: ShellWord, scene: CommandScene): Program {
  const flags = nodeFlags(words)
  const options = scene.sets.get('NODE_OPTIONS')
  const outer = options === undefined ? undefined : nodeFlags(commandsIn(options)[0]?.words ?? [])
  const all = [...(outer?.flags ?? []), ...flags.flags]
  const entry = flags.rest[0]
  const base = programIn(scene, { at: { start: runtime.start, end: runtime.end, isNode: true } })
  if (all.some(({ name }) => /^(?:-e|--eval|-p|--print|--test|--check|-c|--run)$/.test(name)))
    return { ...base, unknown: 'It runs code that no file of the project has.' }
  if (!entry || entry.computed) return { ...base, unknown: 'It names no file that is known.' }
  return withFlags(base, all, entry.text, scene)
}

/** A program with what flags load before its entry. */
function withFlags(base: Program, flags: readonly Flag[], entry: string, scene: CommandScene): Program {
  const loads = [...base.loads]
  const modules: string[] = []
  const packages = [...base.packages]
  // Node reads files that a flag names before it loads any module; a later one wins over an earlier one.
  const files = flags.flatMap(({ name, value }) => (/^--env-file(?:-if-exists)?$/.test(name) ? [value ?? ''] : []))
  if (files.length > 0)
    loads.push({
      kind: 'files',
      reader: 'node',
      by: '--env-file',
      files: files.map((each) => pathIn(scene.folder, each)).reverse(),
    })
  for (const { name, value = '' } of flags) {
    if (!/^(?:-r|--require|--import)$/.test(name)) continue
    if (value === 'mappa/preload') loads.push({ kind: 'mappa' })
    else if (/^\.{0,2}\//.test(value)) modules.push(programFile(pathIn(scene.folder, value), scene.files) ?? value)
    else packages.push(value)
  }
  const found = programFile(pathIn(scene.folder, entry), scene.files)
  if (found === undefined) return { ...base, loads, packages, unknown: 'Its file is not in the project.' }
  return { ...base, loads, packages, modules: [...modules, found] }
}

interface Flag {
  readonly name: string
  readonly value: string | undefined
}

function nodeFlags(words: readonly ShellWord[]): {
  readonly flags: readonly Flag[]
  readonly rest: readonly ShellWord[]
} {
  const flags: Flag[] = []
  let at = 0
  for (; at < words.length; at++) {
    const { text } = words[at] as ShellWord
    if (!text.startsWith('-') || text === '-') break
    if (text === '--') {
      at++
      break
    }
    const [, name = text, value] = /^(--[\w-]+)=([\s\S]*)$/.exec(text) ?? []
    flags.push({ name, value: value ?? (withValue.test(text) ? words[++at]?.text : undefined) })
  }
  return { flags, rest: words.slice(at) }
}

/** `docker run --env-file FILE image`: what the image runs is not in the command. */
function containerProgram(words: readonly ShellWord[], scene: CommandScene): Program {
  const isRun = /^(?:run|create)$/.test(words.find(({ text }) => !text.startsWith('-'))?.text ?? '')
  const files = words.flatMap(({ text, computed }, at): string[] => {
    const value = text.startsWith('--env-file=') ? text.slice('--env-file='.length) : undefined
    const named = value ?? (text === '--env-file' ? words[at + 1]?.text : undefined)
    return named === undefined || computed || !isRun ? [] : [pathIn(scene.folder, named)]
  })
  const load: Load = { kind: 'files', reader: 'container', by: '--env-file', files: files.reverse() }
  return programIn(scene, {
    loads: files.length === 0 ? scene.loads : [...scene.loads, load],
    unknown: 'A container engine starts it.',
  })
}

/** A page builder that reads the layer files of its mode itself, unless our plugin switches that off. */
function builderProgram(words: readonly ShellWord[], scene: CommandScene): Program {
  const configs = scene.files.paths.filter((path) => /^vite\.config\.[cm]?[jt]s$/.test(path))
  const isOurs = configs.some((path) => scene.files.read(path)?.includes('@mappa/build'))
  const at = words.findIndex(({ text }) => /^(?:--mode|-m)$/.test(text))
  const named = words.find(({ text }) => text.startsWith('--mode='))?.text.slice('--mode='.length)
  const verb = words[0]?.text === 'build' ? 'production' : 'development'
  const mode = named ?? (at >= 0 ? words[at + 1]?.text : undefined) ?? verb
  const files = [`.env.${mode}.local`, `.env.${mode}`, '.env.local', '.env'].map((file) => pathIn(scene.folder, file))
  const load: Load = { kind: 'files', reader: 'page-builder', by: 'Vite', files }
  return programIn(scene, {
    loads: isOurs ? scene.loads : [...scene.loads, load],
    unknown: 'Vite runs it in its own way.',
  })
}

/** An installed tool: it runs the file that it is given, a whole command that it is given, or its own code. */
function toolProgram(first: ShellWord, words: readonly ShellWord[], scene: CommandScene): readonly Program[] {
  const name = first.text
  const at = { start: first.start, end: first.end, isNode: false }
  const own =
    /^\.{0,2}\//.test(name) || name.includes('/') ? programFile(pathIn(scene.folder, name), scene.files) : undefined
  if (own !== undefined) return [programIn(scene, { modules: [own], at })]
  const bin = binOf(name, scene.files)
  if (bin === undefined) return [programIn(scene, { unknown: `${name} is not installed here.` })]
  const base = programIn(scene, { packages: [bin], at })
  const commands = words.filter(({ text, computed }) => !computed && /^(?:node|npm|npx|yarn|pnpm|mappa) /.test(text))
  if (commands.length > 0)
    return commands
      .flatMap(({ text }) => programsOf(text, scene))
      .map((each) => ({ ...each, packages: [...each.packages, bin] }))
  const entry =
    words.find(({ text, computed }) => !computed && isCodeFile(text) && !/\.config\.[cm]?[jt]s$/.test(text)) ??
    entryFolder(words, scene)
  const isBuilder = words.some(({ text }) =>
    /^(?:build|--bundle|--out(?:file|dir|-dir)?|-o|-d|--outDir)(?:=|$)/.test(text),
  )
  if (!entry || isBuilder) return [{ ...base, unknown: `${name} runs code in its own way.` }]
  const before = nodeFlags(words.slice(0, words.indexOf(entry)))
  return [withFlags(base, before.flags, entry.text, scene)]
}

/** The first word of a tool that is not a flag, if it names code without its ending, as `server` does `server/index.js`. */
function entryFolder(words: readonly ShellWord[], scene: CommandScene): ShellWord | undefined {
  const first = nodeFlags(words).rest[0]
  if (!first || first.computed || toolVerbs.test(first.text)) return undefined
  return programFile(pathIn(scene.folder, first.text), scene.files) === undefined ? undefined : first
}

/** Words of tools that are not paths. */
const toolVerbs =
  /^(?:build|dev|develop|start|serve|preview|run|test|watch|lint|check|deploy|export|generate|init)$|^\.$/

/** A path from the root, of one from a folder; `../` stays in front where it leads above the root. */
export function pathIn(folder: string, path: string): string {
  if (path.startsWith('/')) return path
  const steps: string[] = []
  for (const step of `${folder}${path}`.split('/')) {
    if (step === '..' && steps.length > 0 && steps.at(-1) !== '..') steps.pop()
    else if (step !== '.' && step !== '') steps.push(step)
  }
  return steps.join('/') + (path.endsWith('/') && steps.length > 0 ? '/' : '')
}
