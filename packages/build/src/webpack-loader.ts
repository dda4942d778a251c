/** The part of a loader's context that is used. */
interface LoaderContext {
  readonly query: string
  readonly resourcePath: string
  addDependency(file: string): void
}

interface LoaderInput {
  /** Code of the settings module. */
  readonly code: string
  /** Files that the settings depend on. */
  readonly files: readonly string[]
  /** A module with the texts put in that it reads of its environment; undefined where nothing must be. */
  readonly fill: (code: string, file: string) => string | undefined
}

const key = Symbol.for('mappa.webpack')
const byNumber = globalThis as unknown as { [key]?: Map<string, LoaderInput> }
byNumber[key] ??= new Map()

/** Data from plugins for their loader, by the plugin's number: the two may be modules of different kinds. */
export const loaderInputs: Map<string, LoaderInput> = byNumber[key]

/** The loader that gives the settings module, or fills a module; both are made again when a file of the settings changes. */
export default function settingsLoader(this: LoaderContext, source: string): string {
  const [id = '', what] = this.query.slice(1).split('&')
  const input = loaderInputs.get(id)
  const code = what === 'fill' ? input?.fill(source, this.resourcePath) : (input?.code ?? '')
  if (code === undefined) return source
  for (const file of input?.files ?? []) this.addDependency(file)
  return code
}
