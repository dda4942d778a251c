/** Folders and files whose values are made up for a purpose: tests, fixtures, stories. */
const testFolder =
  /(?:^|\/)(?:[\w.-]*[-_.])?(?:tests?|__tests__|__mocks__|__fixtures__|__snapshots__|testing|fixtures?|spec|specs|e2e|mocks?|stories|cypress|playwright|testdata|test-?utils?|seeds?|seeders?)\//i
const testFile =
  /(?:^|\/)(?:tests?|specs?|seeds?|(?:test|spec)s?[-_.][^/]+|[^/]*[-_.](?:tests?|specs?|e2e|e2e-spec|stories|story|fixtures?|mocks?|bench|cy))\.[^/.]+$/i

export function isTestFile(path: string): boolean {
  return testFolder.test(path) || testFile.test(path)
}

/** Words in front of `.config.` that say whose settings these are: the application's own. */
const ownWords =
  /^(?:app|application|api|server|client|site|main|index|default|defaults|base|common|shared|env|environment|db|database|auth|jwt|mail|mailer|email|cache|queue|storage|session|cors|logger|logging|security|local|prod|production|dev|development|staging|stage|test|testing|live)$/i

/**
 * Settings of tools, which are read where the application's own values need not be there: `<tool>.config.js` where tools
 * look for it, and what is called by a tool that the package is developed with (`<tool>file.js`, `<tool>.prod.js`, `.<tool>rc.js`).
 */
export function isToolFile(path: string, developedWith: ReadonlySet<string>): boolean {
  const [, folder = '', file = ''] = /^(.*\/)?([^/]+)$/.exec(path) ?? []
  const [, tool = ''] = /^([^.]+)\.conf(?:ig)?\.[^/.]+$/.exec(file) ?? []
  const isLookedFor = /^(?:[\w.-]+\/)?$/.test(folder) && !/^(?:src|app|lib|server)\/$/.test(folder)
  if (tool !== '' && isLookedFor) return !ownWords.test(tool)
  const [, named = ''] = /^\.?([\w-]+?)(?:file|rc|\.[\w.-]+)\.[cm]?[jt]s$/i.exec(file) ?? []
  return isLookedFor && named !== '' && developedWith.has(named.toLowerCase())
}

/**
 * What nobody writes: what a bundler has made of other files, a library's copy under the number of its version or with
 * the banner that minifiers keep, and what has no lines.
 */
export function isMade(path: string, text: string): boolean {
  if (/\b__webpack_require__\b|\bwebpackBootstrap\b|\bparcelRequire\b/.test(text)) return true
  if (versioned.test(path) || banner.test(text.slice(0, bannerLengthMax))) return true
  return text.length > madeLengthMin && text.length / (text.split('\n').length + 1) > lineLengthMean
}

/** Shorter files are looked at, however they are written. Characters. */
const madeLengthMin = 20_000
const lineLengthMean = 400

const versioned = /(?:^|\/)(?:[\w.-]+?[-_.]v?)?\d+\.\d+(?:\.\d+)?(?:[-.]\w+)*(?:\/|\.[cm]?js$)/
const banner = /^\s*\/\*![^/]{0,400}?\bv?\d+\.\d+\.\d+/
/** A banner longer than this is not a banner. Characters. */
const bannerLengthMax = 1000

/** Tells whether a file says at its end that it was made of another one (source map format, ECMA-426). */
export function isMapped(text: string): boolean {
  return /\n\/\/[#@] sourceMappingURL=\S+\s*$/.test(text.slice(-mapLineLengthMax))
}

/** A map that is in the file itself makes a longer line, and is searched for no further. Characters. */
const mapLineLengthMax = 1000
