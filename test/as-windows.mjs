// A start as on Windows, anywhere: `node --import as-windows.mjs …`. The library finds drives, backslashes and `win32`, files under
// either way of writing a path, and an environment without case. What it has of Node it takes from `process.getBuiltinModule`.
const builtin = process.getBuiltinModule
const [fs, path, module] = ['node:fs', 'node:path', 'node:module'].map((name) => builtin(name))
const environment = process.env
const cwd = process.cwd()

const asWindows = (posix) => `C:${posix.replaceAll('/', '\\')}`
const asPosix = (given) =>
  typeof given === 'string' ? given.replace(/^(?:C:)?([\\/].*|$)/is, (_, rest) => rest.replaceAll('\\', '/')) : given

/** Functions of `node:fs` that take paths first, and give some back. */
const files = Object.fromEntries(
  Object.entries(fs).map(([name, value]) => {
    if (typeof value !== 'function' || !/Sync$|^watch/.test(name)) return [name, value]
    const called = (first, ...rest) => {
      const result = value(
        asPosix(first),
        ...(/^(?:rename|link|copyFile|symlink)/.test(name) ? rest.map(asPosix) : rest),
      )
      return /^(?:realpath|mkdtemp)/.test(name) ? asWindows(result) : result
    }
    return [name, called]
  }),
)
files.realpathSync.native = files.realpathSync
const createRequire = (from) => {
  const require = module.createRequire(asPosix(from))
  return Object.assign((what) => require(asPosix(what)), require)
}
const fakes = {
  os: { ...builtin('node:os'), homedir: () => asWindows(builtin('node:os').homedir()) },
  fs: files,
  path: path.win32,
  module: { ...module, createRequire },
  url: {
    ...builtin('node:url'),
    pathToFileURL: (given) => builtin('node:url').pathToFileURL(asPosix(given)),
    fileURLToPath: (given) => asWindows(builtin('node:url').fileURLToPath(given)),
  },
}
const spelled = (name) =>
  typeof name === 'string'
    ? (Object.keys(environment).find((each) => each.toUpperCase() === name.toUpperCase()) ?? name)
    : name

process.getBuiltinModule = (name) => fakes[name.replace(/^node:/, '')] ?? builtin(name)
// Node itself goes on where it is.
process.cwd = () => (/^.*\n.*\n.*node:internal/.test(new Error().stack) ? cwd : asWindows(cwd))
Object.defineProperty(process, 'platform', { value: 'win32' })
Object.defineProperty(process, 'env', {
  value: new Proxy(environment, {
    get: (all, name) => all[spelled(name)],
    has: (all, name) => spelled(name) in all,
    set: (all, name, value) => {
      all[spelled(name)] = value
      return true
    },
    deleteProperty: (all, name) => delete all[spelled(name)],
    getOwnPropertyDescriptor: (all, name) => Object.getOwnPropertyDescriptor(all, spelled(name)),
  }),
})
delete process.getuid
