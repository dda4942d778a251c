// The room of files, starts and sources in this one process: services that answer as they are told, watching with a clock that
// is turned by hand, and legends and their copies as they lie. Cases and answers are stored.
import assert from 'node:assert/strict'
import fs, { chmodSync, mkdirSync, readFileSync, renameSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join, relative } from 'node:path'
import test, { mock } from 'node:test'
import { setImmediate as turn } from 'node:timers/promises'
import { pathToFileURL } from 'node:url'
import { inspect } from 'node:util'
import { type Fault, type Legend, layerFromText, legend, surveyLayers } from 'mappa'
import { leaksIn } from 'mappa/node'
import { project, storedIn } from '../../../test/helpers.js'
import { readTextFile } from '../src/node/files/files.js'
import { findRoot } from '../src/node/files/root.js'
import { cacheFiles, compiledModule, legendInputs } from '../src/node/legends/compiled-legend.js'
import { keepCompiled, keepCopy } from '../src/node/legends/keep-copy.js'
import { loadLegendAnew } from '../src/node/legends/legend-anew.js'
import { loadLegendFile } from '../src/node/legends/legend-file.js'
import { type RemoteSource, remoteFault } from '../src/node/remotes/asking.js'
import { type EtcdOptions, etcdSource } from '../src/node/remotes/etcd.js'
import { askRemote, layerFromRemote, tellRemote } from '../src/node/remotes/remote.js'
import { remoteSource } from '../src/node/remotes/remote-kinds.js'
import { originsOf } from '../src/node/tell.js'
import { watchFiles } from '../src/node/watch.js'
import { watchAsync } from '../src/node/watch-remotes.js'

const { store, answered, casesIn } = storedIn('packages/mappa/test/stored')
const shown = (value: unknown) => JSON.stringify(value) ?? 'undefined'
const told = ({ kind, message, remedy, place, layer }: Fault) =>
  `${kind} in ${layer}${place ? ` ${place.line}:${place.column}-${place.endColumn}` : ''}: ${message} | ${remedy}`
const later = setTimeout
const posix = { skip: process.platform === 'win32' && 'Windows has no modes, and links and folders of another kind' }

/** What a service answers: a status, a text, or more of it. */
interface Reply {
  readonly status?: number
  readonly type?: string
  readonly location?: string
  readonly text?: string
  readonly json?: unknown
  /** Texts of bytes, one after the other. */
  readonly pieces?: readonly string[]
  /** So many bytes more. */
  readonly size?: number
  /** Objects, one a line, of which the last may be left open. */
  readonly lines?: readonly unknown[]
  /** What becomes of the connection then. */
  readonly then?: 'stays' | 'breaks'
}

/** A service that gives these answers, one after the other, and then none; what it was asked is written down. */
async function service(replies: readonly Reply[], said: string[], describe: (text: string) => string) {
  let beyond = () => {}
  let given = () => {}
  const over = new Promise<void>((resolve) => {
    beyond = resolve
  })
  /** Once the last of the answers is on its way. */
  const allGiven = new Promise<void>((resolve) => {
    given = resolve
  })
  const rest = [...replies]
  const server = createServer(async (request, response) => {
    let text = ''
    for await (const piece of request) text += piece
    const { accept, authorization, 'content-type': type } = request.headers
    said.push(
      [
        request.method,
        request.url,
        accept,
        authorization,
        type,
        request.headers['grpc-metadata-hasleader'],
        describe(text),
      ]
        .filter((each) => each)
        .join(' '),
    )
    const reply = rest.shift()
    if (!reply) return beyond()
    if (rest.length === 0) given()
    if (reply.location !== undefined) response.setHeader('location', reply.location)
    response.writeHead(reply.status ?? 200, { 'content-type': reply.type ?? 'application/json' })
    if (reply.json !== undefined) response.write(JSON.stringify(reply.json))
    if (reply.text !== undefined) response.write(reply.text)
    for (const line of reply.lines ?? []) response.write(`${typeof line === 'string' ? line : JSON.stringify(line)}\n`)
    for (const piece of reply.pieces ?? []) {
      response.write(Buffer.from(piece, 'latin1'))
      await new Promise((resolve) => later(resolve, 20))
    }
    if (reply.size !== undefined) response.write(Buffer.alloc(reply.size, 'x'))
    if (reply.then === undefined) response.end()
    else if (reply.then === 'breaks') later(() => response.destroy(), 30)
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  return { url, over, allGiven, close: () => server.close() && server.closeAllConnections() }
}

/** Several cases at once, since they mostly wait. */
async function answeredTogether(name: string, answer: (given: never) => Promise<readonly string[]>) {
  const answers = new Map<string, readonly string[]>()
  const rest = casesIn(name)
  const next = async (): Promise<void> => {
    for (let line = rest.shift(); line !== undefined; line = rest.shift())
      answers.set(line, await answer(JSON.parse(line) as never))
  }
  await Promise.all(Array.from({ length: 9 }, next))
  await answered(name, (line) => answers.get(line) ?? [])
}

test('what is asked of a service, and what is taken of its answers', async () => {
  type Case = {
    by?: string
    path?: string
    token?: string
    texts?: object
    timeout?: number
    replies: readonly Reply[]
  }
  await answeredTogether('asked', async ({ by, path = '/?a', token, texts = {}, timeout = 20_000, replies }: Case) => {
    const said: string[] = []
    const { url, close } = await service(replies, said, (text) => text)
    const source = { name: 'the hive host', url: path.startsWith('/') ? url + path : path, token }
    const declared = await remoteSource({ name: source.name, url: 'URL', token: 'TOKEN' }, source.url, token, 'test')
    const came =
      by === 'ask'
        ? await askRemote(source, { timeout })
        : by === 'tell'
          ? ((await tellRemote(source, texts as Record<string, string>, { timeout })) ?? 'all went')
          : await layerFromRemote(declared, { timeout })
    close()
    const { faults = [], names, get, source: kind, ...rest } = came as ReturnType<typeof layerFromText>
    const values = names && [...names()].map((name) => [name, get(name)])
    const what = values ? `${kind} ${shown(values)}` : shown(rest).slice(0, 300)
    return [...said, what, ...faults.map(told)].map((each) => `    ${each.replaceAll(url, '<service>')}`)
  })
})

test('what a source fails with is told by its kind alone', () => {
  const failure = (code: unknown, more = {}) => Object.assign(new Error('tile_test_meadow'), { code, ...more })
  const class_ = new (class extends Error {
    override name = 'Heather 1'
  })()
  const failures = [
    ...['ECONNREFUSED', 'ENOTFOUND', 'EAI_AGAIN', 'EPROTO', 'tile_test_meadow', 'A B', 3].map((code) => failure(code)),
    failure('', { cause: failure('ENOTFOUND') }),
    new TypeError('x', { cause: null }),
    class_,
    'text',
    null,
    undefined,
  ]
  store(
    'failures',
    failures.map((each) => told(remoteFault({ name: 'the store' }, each))),
  )
})

test('what is asked of a store, and what becomes of its answers', async () => {
  type Case = {
    ask?: string
    quiet?: number
    options?: Partial<EtcdOptions>
    urls?: readonly string[]
    replies: readonly Reply[]
  }
  // Keys and values are base64 on the way.
  const coded = (value: unknown): unknown => {
    if (typeof value !== 'object' || value === null) return value
    if (Array.isArray(value)) return value.map(coded)
    const pairs = Object.entries(value).map(([name, each]) => [
      name,
      typeof each === 'string' && /^(?:key|value)$/.test(name)
        ? Buffer.from(each, 'latin1').toString('base64')
        : coded(each),
    ])
    return Object.fromEntries(pairs)
  }
  const asText = (base64: string) => shown(Buffer.from(base64, 'base64').toString('latin1'))
  const plain = (text: string) => text.replace(/("(?:key|range_end)":)"([^"]*)"/g, (_, name, key) => name + asText(key))
  await answeredTogether('stores', async ({ ask, quiet, options, urls = ['<url>'], replies }: Case) => {
    const said: string[] = []
    const sent = replies.map((each) => ({
      ...each,
      json: coded(each.json),
      ...(each.lines && { lines: coded(each.lines) }),
    }))
    const { url, over, allGiven, close } = await service(sent as Reply[], said, plain)
    const source = etcdSource({
      name: 'the hive store',
      prefix: 'apiary/',
      ...options,
      url: urls.length === 1 ? String(urls[0]).replace('<url>', url) : urls.map((each) => each.replace('<url>', url)),
    })
    const stop = new AbortController()
    const { signal } = stop
    if (ask === 'follow') {
      source.follow?.({
        signal,
        onChange: (texts) => said.push(`  now ${shown(texts)}`),
        onLost: (error) => said.push(`  lost: ${told(remoteFault(source, error))}`),
      })
      // A follower that is content does not ask again. Counted from the last answer: a busy machine asks late.
      const calm = allGiven.then(() => new Promise((resolve) => later(resolve, quiet)))
      await (quiet === undefined ? over : Promise.race([calm, new Promise((resolve) => later(resolve, 30_000))]))
      await new Promise((resolve) => later(resolve, 50))
    } else
      await source.load({ signal }).then(
        (texts) => said.push(`  ${shown(texts)}`),
        (error) => said.push(`  failed: ${told(remoteFault(source, error))}`),
      )
    stop.abort()
    close()
    return said.map((each) => `    ${each.replaceAll(url, '<store>')}`)
  })
})

/** A clock that is turned by hand, and watchers of folders that tell when they are told to. */
function byHand(here: string, said: string[]) {
  mock.timers.enable({ apis: ['setTimeout', 'setInterval', 'Date'] })
  const watchers = new Map<string, { readonly tell: () => void; readonly fail: () => void }>()
  const named = (directory: unknown) => relative(here, String(directory)) || '.'
  mock.method(fs, 'watch', ((directory: string, { persistent }: { persistent: boolean }, tell: () => void) => {
    const name = named(directory)
    if (name === 'unwatched') throw new Error('no more watchers')
    said.push(`watches ${name}${persistent ? ' and stays' : ''}`)
    let fail = () => {}
    watchers.set(name, { tell, fail: () => fail() })
    const on = (_: string, listener: () => void) => {
      fail = listener
    }
    return { on, close: () => watchers.delete(name) && said.push(`leaves ${name}`) }
  }) as never)
  const steps: Record<string, (...args: readonly string[]) => void> = {
    write: (name = '', text = '') => {
      mkdirSync(join(here, name, '..'), { recursive: true })
      writeFileSync(join(here, name), text.replaceAll('\\n', '\n'))
    },
    remove: (name = '') => rmSync(join(here, name), { recursive: true }),
    folder: (name = '') => mkdirSync(join(here, name), { recursive: true }),
    // What is removed may have its number given to what is made next.
    move: (name = '', to = '') => renameSync(join(here, name), join(here, to)),
    event: (name = '.') => watchers.get(name)?.tell(),
    error: (name = '.') => watchers.get(name)?.fail(),
    // A timer that is set meanwhile begins at its own millisecond.
    tick: (time) => {
      for (let left = Number(time); left > 0; left--) mock.timers.tick(1)
    },
  }
  return steps
}

test(
  'when files are read again: after a burst, after a while, and when they or their folders come and go',
  posix,
  async () => {
    await answered('bursts', (line) => {
      const [settings = '', ...rest] = line.split('; ')
      const here = project({})
      const said: string[] = []
      const steps = byHand(here, said)
      const files = settings.replace(/ stays$/, '').split(' ')
      const answers: string[] = []
      let count = 0
      try {
        const close = watchFiles(
          () => files.map((each) => join(here, each)),
          () => void said.push(`told ${++count}`),
          settings.endsWith(' stays') ? { persistent: true } : {},
        )
        const more = { close, also: (name = '') => void files.push(name) }
        answers.push(`    ${said.splice(0).join(', ')}`)
        for (const step of rest) {
          const [name = '', ...args] = step.split(' ')
          Object({ ...steps, ...more })[name](...args)
          answers.push(`    ${step}: ${said.splice(0).join(', ')}`)
        }
        close()
      } finally {
        mock.timers.reset()
        mock.restoreAll()
      }
      return answers
    })
  },
)

test('what becomes of settings while sources answer, fail, hang, tell by themselves, and legends change', async () => {
  const definition = legend(
    {
      HIVES: { type: 'integer', minimum: 1 },
      NOTE: { type: 'string', optional: true },
      KEY: { type: 'string', secret: true, optional: true },
    },
    { directories: ['run'] },
  ) as unknown as Legend<{ HIVES: number }>
  const settle = async () => {
    // What is imported goes through a thread of the loader's, in order.
    for (let count = 0; count < 4; count++) {
      await import('../src/node/files/digest.js')
      await turn()
    }
  }
  await answered('followed', async (line) => {
    const { files = {}, sources = [], options = {}, steps: given } = JSON.parse(line)
    const here = project({ '.env': 'HIVES=1\n', ...files })
    const said: string[] = []
    const steps = byHand(here, said)
    type State = { answer: unknown; follow?: Parameters<NonNullable<RemoteSource['follow']>>[0] }
    const states: State[] = sources.map(({ answer }: { answer: unknown }) => ({ answer }))
    const remotes = sources.map(({ tells }: { tells?: boolean }, at: number): RemoteSource => {
      const state = states[at] as State
      const load = async ({ signal }: { signal: AbortSignal }) => {
        said.push(`asks ${at}`)
        signal.addEventListener('abort', () => said.push(`gives up on ${at}`))
        if (state.answer === 'hangs') return new Promise<never>(() => {})
        if (state.answer === 'fails') throw Object.assign(new Error('tile_test_meadow'), { code: 'EPROTO' })
        return state.answer as Record<string, string>
      }
      const follow: RemoteSource['follow'] = (options) => {
        state.follow = options
        options.signal.addEventListener('abort', () => said.push(`leaves ${at} alone`))
      }
      return { name: `hive ${at}`, load, ...(tells && { follow }) }
    })
    const answers: string[] = []
    try {
      const start = watchAsync(
        definition,
        {
          root: here,
          environment: {},
          stage: 'test',
          remotes,
          ...options,
          onLost: (faults) => said.push(`lost ${shown(faults.map(({ message }) => message))}`),
        },
        ({ faults, settings }, changes) =>
          said.push(`told ${shown([settings?.HIVES, faults.map(told), changes.map(({ message }) => message)])}`),
      )
      let isOn = false
      start.then(() => {
        isOn = true
      })
      for (await settle(); !isOn; await settle()) steps.tick?.('100')
      const watching = await start
      const state = () => {
        const { settings, survey, lost } = watching
        const origins = settings ? `, for ${originsOf(settings).stage.name}` : ''
        return `${shown(settings)} ${survey.ok}${lost.length > 0 ? ` ${lost.length} lost` : ''}${origins}`
      }
      answers.push(`    ${said.splice(0).join(', ')}; ${state()}`)
      for (const [name, ...args] of given as [string, ...never[]][]) {
        const at = states[Number(args[0])] as State
        const more: Record<string, () => unknown> = {
          answer: () => Object.assign(at, { answer: args[1] }),
          tells: () => at.follow?.onChange(args[1] as never),
          loses: () => at.follow?.onLost(new Error(String(args[1]))),
          close: () => watching.close(),
        }
        ;(more[name] ?? steps[name])?.(...args)
        await settle()
        answers.push(
          `    ${[name, ...args].map((each) => (typeof each === 'string' ? each : shown(each))).join(' ')}: ${said.splice(0).join(', ')}; ${state()}`,
        )
      }
      watching.close()
    } finally {
      mock.timers.reset()
      mock.restoreAll()
    }
    return answers.map((each) => each.replaceAll(here, '<top>').replace(/SyntaxError: [^|"]*/, 'SyntaxError: … '))
  })
})

test('what lies where a file is read, and what is said of it', async () => {
  await answered('read', (line) => {
    const { text, latin1, hex, size, options, most } = JSON.parse(line)
    const bytes =
      hex === undefined
        ? Buffer.from(text ?? latin1 ?? '', text === undefined ? 'latin1' : 'utf8')
        : Buffer.from(hex, 'hex')
    const here = project({ file: size === undefined ? bytes : Buffer.concat([bytes, Buffer.alloc(size, 'x')]) })
    const found = readTextFile(join(here, 'file'), '.env', { ...options, ...(most && { most }) })
    return [`    ${typeof found === 'string' ? shown(found) : found && told(found)}`]
  })
})

test('where a search for the root ends, and what a legend file gives, from its copy or as it lies', posix, async () => {
  const [home, cache, uidOf] = [process.env.HOME, process.env.XDG_CACHE_HOME, process.getuid]
  const { typescript: given } = process.features as { typescript?: unknown }
  const strip = (value: unknown) =>
    void Object.defineProperty(process.features, 'typescript', { value, configurable: true, enumerable: true })
  await answered('legends', async (line) => {
    const { files = {}, from = '', steps = [] } = JSON.parse(line)
    const here = project(files)
    rmSync(join(here, 'node_modules'), { recursive: true })
    Object.assign(process.env, { HOME: join(here, 'home'), XDG_CACHE_HOME: join(here, 'cache') })
    const said: string[] = []
    const at = (name: string) => join(here, name)
    const asTold = (loaded: ReturnType<typeof loadLegendFile>) =>
      'fault' in loaded
        ? told(loaded.fault)
        : inspect(loaded.definition, { depth: 4, breakLength: Number.POSITIVE_INFINITY })
    const shownFile = (file: string | undefined) => (file === undefined ? 'none' : relative(here, file))
    const more: Record<string, (...args: never[]) => unknown> = {
      load: (name: string) => asTold(loadLegendFile(at(name))),
      'load-anew': async (name: string) => asTold(await loadLegendAnew(at(name))),
      keep: (name: string, module: string, inputs: readonly string[] = [name]) => {
        const texts = inputs.map((each) => [at(each), readFileSync(at(each), 'utf8')])
        return shownFile(keepCopy(at(name), module, Object.fromEntries(texts))?.module)
      },
      'keep-alone': (name: string, module: string) => keepCompiled(at(name), readFileSync(at(name), 'utf8'), module),
      'show-copy': (name: string) => {
        const module = compiledModule(at(name))
        return `${shownFile(module)} ${module ? readFileSync(module, 'utf8') : ''}`
      },
      inputs: (name: string) => legendInputs(at(name)).map(shownFile),
      'places-of-copies': (name: string) => [...cacheFiles(at(name))].map(({ directory }) => shownFile(directory)),
      modes: (name: string) => (fs.existsSync(at(name)) ? (fs.statSync(at(name)).mode & 0o777).toString(8) : 'none'),
      'chmod-copy': (mode: string, ending = 'mjs') => {
        const found = compiledModule(at('mappa.legend.ts')) ?? ''
        chmodSync(found.replace(/mjs$/, ending), Number.parseInt(mode, 8))
      },
      write: (name: string, text: string) => writeFileSync(at(name), text),
      folder: (name: string) => void mkdirSync(at(name), { recursive: true }),
      link: (to: string, name: string) => symlinkSync(to, at(name)),
      chmod: (name: string, mode: string) => chmodSync(at(name), Number.parseInt(mode, 8)),
      remove: (name: string) => rmSync(at(name), { recursive: true }),
      'set-variable': (name: string, text: string) => void Object.assign(process.env, { [name]: text }),
      'node-takes-types-away': (typescript: unknown) => strip(typescript),
      'without-user-number': () => Object.assign(process, { getuid: undefined }) && undefined,
    }
    try {
      for (const [name, ...args] of steps as [string, ...never[]][]) {
        const gave = await more[name]?.(...args)
        if (gave !== undefined) said.push(`    ${name} ${args[0]}: ${shown(gave)}`)
      }
    } finally {
      Object.assign(process.env, { HOME: home, XDG_CACHE_HOME: cache })
      if (cache === undefined) delete process.env.XDG_CACHE_HOME
      strip(given)
      Object.assign(process, { getuid: uidOf })
    }
    const found = findRoot({ from: at(from) })
    assert.deepEqual(findRoot({ from: pathToFileURL(join(at(from), 'x.js')).href }), found)
    assert.equal(findRoot({ from: at(from), environmentRoot: here }).directory, here)
    assert.equal(findRoot({ root: here, environmentRoot: '/gone' }).directory, here)
    return [`    root ${relative(here, found.directory) || '.'}, legend ${found.legendFile}`, ...said].map((each) =>
      each
        .replaceAll(here, '<top>')
        .replaceAll(process.versions.node, '<node>')
        // Its name holds that of the folder; what Node says differs by version.
        .replace(/[\w-]{28,}(?=\.mjs)/g, '<copy>')
        .replace(/SyntaxError: [^|"]*/, 'SyntaxError: … '),
    )
  })
})

test('which outputs would carry a secret or a layer file to browsers', posix, async () => {
  const definition = legend({ KEY: { type: 'string', secret: true }, PIN: { type: 'string', secret: true } })
  const texts = ['KEY=heather-and-clover\nPIN=limetree-and-thyme\n', '  \nA=1 \n']
  const layers = texts.map((text, at) => layerFromText(['.env', '.env.test'][at] as string, text))
  const found = surveyLayers(definition as unknown as Legend, { stage: 'test', layers })
  await answered('carried', (line) => {
    const here = project({})
    rmSync(join(here, 'node_modules'), { recursive: true })
    for (const [name, text] of Object.entries(JSON.parse(line) as Record<string, string>)) {
      const link = /^-> (.*)/.exec(text)?.[1]
      mkdirSync(join(here, name, '..'), { recursive: true })
      if (link === undefined) writeFileSync(join(here, name), text)
      else symlinkSync(link, join(here, name))
    }
    const leaks = leaksIn(here, found as never).map((each) => `    ${each.name}: ${told(each)}`)
    return leaks.length > 0 ? leaks : ['    nothing']
  })
})
