import { entriesOf, fixedAt, type Legend, reachesBrowser } from 'mappa'
import { SlipIndex } from 'mappa/plugin'
import { otherThan } from './other-than.js'

/** Names that bundlers put in `import.meta.env` themselves. */
const bundlerNames: ReadonlySet<string> = new Set(['MODE', 'DEV', 'PROD', 'SSR', 'BASE_URL', 'LEGACY'])

/** Judges a module by its text, without parsing: parsing every module would double the time of a build. */
export class Suspicion {
  readonly #allowed = new Set<string>()
  /** Of these, what is put in where the environment is read. */
  readonly #texts = new Set<string>()
  readonly #refused = new Set<string>()
  readonly #slips: SlipIndex

  /** Of a worker, which has no page, or of a page. */
  constructor(definition: Legend, isWorker = false) {
    const entries = Object.entries(entriesOf(definition))
    for (const [name, entry] of entries) {
      const isText = reachesBrowser(entry) && fixedAt(entry) === 'build'
      ;(reachesBrowser(entry) && (isText || !isWorker) ? this.#allowed : this.#refused).add(name)
      if (isText) this.#texts.add(name)
    }
    this.#slips = new SlipIndex(entries.map(([name]) => name))
  }

  /**
   * Patterns of which the code of a module holds one where a question below is answered with yes: for a builder's own
   * search, since asking for each module costs as much as bundling it. Wider ones where the names would make them too long.
   */
  patterns(): readonly RegExp[] {
    const [names, texts] = [this.#allowed, this.#texts].map((all) => [...all].filter((name) => /^\w+$/.test(name)))
    if (!names || !texts || names.join('').length > patternNamesMax)
      return [/virtual:mappa\/settings/, envRead, envBehindComments, processRead]
    const from = `\\}\\s*from\\s*['"]virtual:mappa/settings`
    return [
      // Another name than those that may be had; something other than names; a default beside them; and no list at all.
      new RegExp(`[{,]\\s*${otherThan(names)}[^}]*${from}`),
      new RegExp(`\\{[^}]*[^\\w\\s$,}][^}]*${from}`),
      new RegExp(`import\\b[^{}'"]*[^\\s{}'"][^}'"]*${from}`),
      /[^}\s]\s*from\s*['"]virtual:mappa\/settings|[^m\s]\s*['"`]virtual:mappa\/settings/,
      new RegExp(`${envRead.source}\\s*\\??\\.\\s*${otherThan([...bundlerNames, ...texts])}`),
      new RegExp(`${envRead.source}\\s*(?:[^\\s.?]|\\?[^.]|\\??\\.\\s*[^\\w\\s$]|$)`),
      envBehindComments,
      processRead,
    ]
  }

  /** Tells whether browser code may take a name from the settings module. */
  allows(name: string): boolean {
    return this.#allowed.has(name)
  }

  /** Tells whether a name is put in where browser code reads it of its environment. */
  allowsText(name: string): boolean {
    return this.#texts.has(name)
  }

  /** Tells whether a name is an entry's, or in the project's own code the slip of one. */
  concerns(name: string, isOwn: boolean): boolean {
    if (this.#allowed.has(name) || this.#refused.has(name)) return true
    return isOwn && !bundlerNames.has(name) && this.#slips.meantBy(name) !== undefined
  }

  /** Tells whether a module may take something from the settings module that a page must not have. */
  ofSettings(code: string): boolean {
    for (const { index } of code.matchAll(/virtual:mappa\/settings/g)) {
      const before = code.slice(Math.max(0, index - clauseLengthMax), index)
      const [, names] = /(?:^|[^\w$.])(?:import|export)\s*\{([\w$\s,]*)\}\s*from\s*['"]$/.exec(before) ?? []
      if (names === undefined) return true
      for (const each of names.split(',')) {
        const name = each.trim().split(/\s/, 1)[0] as string
        if (name !== '' && !this.#allowed.has(name)) return true
      }
    }
    return false
  }

  /** Tells whether a module may read a name of `import.meta.env` that it must not, or that is the slip of one. */
  ofEnv(code: string, isOwn: boolean): boolean {
    if (envBehindComments.test(code)) return true
    for (const { index, 0: text } of code.matchAll(/\bimport\s*\.\s*meta\s*\??\.\s*env\b/g)) {
      const [, name] =
        /^\s*\??\.\s*([A-Za-z_$][\w$]*)/.exec(code.slice(index + text.length, index + text.length + readLengthMax)) ??
        []
      // As an object it may be asked for anything.
      if (name === undefined) return true
      if (!this.#texts.has(name) && this.concerns(name, isOwn)) return true
    }
    return false
  }

  /** Tells whether a module may read a name of `process.env` that the legend has. */
  ofProcess(code: string): boolean {
    return processRead.test(code)
  }
}

/** Tells whether a module reads its environment, for what must be put in there; Vite has a name of its own for it on a server. */
export function readsEnv(code: string): boolean {
  return envRead.test(code) || envBehindComments.test(code) || /__vite_ssr_import_meta__\s*\??\.\s*env\b/.test(code)
}

const envRead = /import\s*\.\s*meta\s*\??\.\s*env\b/
/** With a comment inside, which would must be searched for everywhere. */
const envBehindComments = /\bimport\s*(?:\.\s*(?:meta\s*(?:\??\.\s*)?)?)?\/[*/]/
const processRead = /\bprocess\b[\s\S]{0,40}?\benv\b/
/** Names in patterns have so many characters together at most; more would take long to be made ready. */
const patternNamesMax = 5000
/** A list of imported names is looked at up to here; a module with a longer one is parsed. Characters. */
const clauseLengthMax = 4000
/** A name behind `import.meta.env` stands within so many characters, or the module is parsed. */
const readLengthMax = 200
