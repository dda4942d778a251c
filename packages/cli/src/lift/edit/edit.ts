import { compilerOf, foldersLookedIn } from '../../code/compiler.js'
import { cellsIn } from '../../code/notebook.js'
import { pagePartsOf } from '../../code/page-parts.js'
import { isScript, parseFile } from '../../code/parse.js'
import { pythonTree } from '../../code/python.js'
import { declarationPath } from '../../declared/declaration.js'
import { pluginChange, takesPlugin } from '../../edits/vite-config.js'
import { withExpansions } from '../../guess/containers.js'
import type { Candidate } from '../../guess/finding.js'
import { withoutVariables } from '../../guess/package-scripts.js'
import type { Held, LiftedFile, Target } from '../change.js'
import { codeChange } from './code.js'
import { needsAtRun, withDependency } from './installed.js'
import { forEveryone, ignoreChange, layerChanges, sampleChange } from './layers.js'
import { legendChange } from './legend.js'
import { relative } from './paths.js'
import { pythonChange } from './python-file.js'
import { type Form, formFor, type NoForm, whyApart } from './settings-form.js'
import { declarationChanges, settingsText } from './settings-module.js'

/** Candidates by whether they can be moved. */
export function sorted(
  candidates: readonly Candidate[],
  target: Target,
): { readonly movable: readonly Candidate[]; readonly held: readonly Held[] } {
  const movable: Candidate[] = []
  const held: Held[] = []
  const bundled = takesPlugin(target)
  const form = formFor(servedPaths(candidates), target)
  for (const candidate of candidates) {
    const why = whyHeld(candidate, target, bundled) ?? whyFormless(candidate, form, target)
    if (why === undefined) movable.push(candidate)
    else held.push({ candidate, why })
  }
  return { movable, held }
}

function whyHeld({ blocked, unproved, reach, sites }: Candidate, target: Target, bundled: boolean): string | undefined {
  const { read } = target
  if (blocked !== undefined) return blocked
  const container = sites.find(({ form }) => form === 'container')
  if (container && !target.compose) return `Set in ${container.path}. To move the value, too, run: mappa lift --compose`
  if (reach === 'browser' && !bundled) return 'It is used in the browser, but Vite does not build the page.'
  const classic = sites.find(({ path, start }) => /\.html?$/.test(path) && !isModuleScript(read(path) ?? '', start))
  if (classic) return `It is in a script of ${classic.path} that is not a module and cannot import settings.`
  return target.unproved ? undefined : unproved
}

/** Why no form of ours fits where a candidate stands, or its legend's file; undefined if one does. */
function whyFormless({ sites }: Candidate, form: Form | NoForm, target: Target): string | undefined {
  const [path] = servedPaths([{ sites }])
  if (path === undefined) return undefined
  if ('why' in form) return form.why
  return servedPaths([{ sites }])
    .map((each) => whyApart(each, form, target))
    .find((why) => why !== undefined)
}

/** Forms of places that take nothing from the settings module. */
const elsewhere: ReadonlySet<string> = new Set(['script', 'container', 'python'])

/** The files of code that do not run in a page. */
function servedPaths(candidates: readonly Pick<Candidate, 'sites'>[]): readonly string[] {
  const sites = candidates.flatMap((candidate) => candidate.sites)
  const pages = new Set(sites.filter(({ page }) => page).map(({ path }) => path))
  const code = sites.filter(({ form }) => !elsewhere.has(form))
  return [...new Set(code.map(({ path }) => path))].filter((path) => !pages.has(path))
}

/** Tells whether the script that an offset is in is a module. */
function isModuleScript(text: string, at: number): boolean {
  const script = pagePartsOf(text).raw.find(({ start, end }) => start <= at && at < end)
  const type = script?.tag.attributes.find(({ name }) => name === 'type')?.value
  return type?.trim().toLowerCase() === 'module'
}

/** Every change that moves the candidates: code, settings module, legend, layers, sample, ignore rules, and what starts it all. */
export function changesFor(chosen: readonly Candidate[], target: Target): LiftedFile[] {
  if (chosen.length === 0) return []
  const candidates = forEveryone(chosen, target)
  const sites = candidates.flatMap((candidate) => candidate.sites)
  const pathsOf = (isIt: (form: string) => boolean) => [
    ...new Set(sites.filter(({ form }) => isIt(form)).map(({ path }) => path)),
  ]
  const paths = pathsOf((form) => !elsewhere.has(form))
  const pages = new Set(sites.filter(({ page }) => page).map(({ path }) => path))
  const served = servedPaths(candidates)
  const form = formFor(served, target)
  if ('why' in form && served.length > 0) throw new Error(`Not possible: ${form.why}`)
  const { legendFile, module } = 'why' in form ? (formFor([], target) as Form) : form
  const layers = layerChanges(candidates, target)
  const needsModule = served.length > 0 && target.read(module) === undefined
  const legend = legendChange(legendFile, candidates, target)
  const isTyped = module.endsWith('.ts') && /\.[cm]?ts$/.test(legendFile)
  const compiler = compilerOf(target)
  const isPageTyped = compiler !== undefined && [...pages].some((path) => /\.(?:tsx?|vue|svelte)$/.test(path))
  const declarations = declarationChanges(candidates, target, legend, (needsModule && isTyped) || isPageTyped)
  return withMappaInstalled(
    [
      ...paths.map((path) => codeChange(path, candidates, form as Form, target)),
      ...(needsModule
        ? [
            {
              path: module,
              before: null,
              after: settingsText(form as Form, legend, declarations.length > 0 && isTyped),
              secret: false,
            },
          ]
        : []),
      ...(pages.size > 0 ? pluginChange(target) : []),
      legend,
      ...declarations,
      ...(isPageTyped && declarations.length > 0 ? namedDeclarations(pages, target) : []),
      ...layers,
      ...sampleChange(candidates, target, layers),
      ...pathsOf((form) => form === 'script').map((path) => scriptChange(path, candidates, target)),
      ...pathsOf((form) => form === 'python').map((path) => pythonChange(path, candidates, target)),
      ...pathsOf((form) => form === 'container').map((path) => containerChange(path, candidates, target)),
      ...ignoreChange(candidates, layers, target),
    ],
    target,
  ).filter(({ before, after }) => before !== after)
}

/** Moves our package to what is installed in production, where the code now needs it there. */
function withMappaInstalled(changes: readonly LiftedFile[], { read, installed }: Target): LiftedFile[] {
  const path = 'package.json'
  if (installed?.('mappa') !== 'development' || !needsAtRun(changes)) return [...changes]
  const own = changes.find((change) => change.path === path)
  const before = read(path) ?? ''
  const after = withDependency(own?.after ?? before, 'mappa')
  if (after === undefined) return [...changes]
  return [...changes.filter((change) => change !== own), { path, before, after, secret: false }]
}

/** Files that name the declarations beside the manifest, where the compiler looks only in a folder that has code of pages. */
function namedDeclarations(pages: ReadonlySet<string>, { read }: Target): LiftedFile[] {
  const folders = foldersLookedIn({ read }).filter((folder) => [...pages].some((page) => page.startsWith(`${folder}/`)))
  const paths = folders.map((folder) => `${folder}/mappa.d.ts`).filter((path) => read(path) === undefined)
  return paths.map((path) => ({
    path,
    before: null,
    after: `/// <reference path="${relative(path, declarationPath)}" />\n`,
    secret: false,
  }))
}

function namesAt(path: string, candidates: readonly Candidate[]): ReadonlySet<string> {
  return new Set(candidates.filter(({ sites }) => sites.some((site) => site.path === path)).map(({ name }) => name))
}

function scriptChange(path: string, candidates: readonly Candidate[], { read }: Target): LiftedFile {
  const before = read(path) ?? ''
  const inCode = candidates.filter(({ sites }) => sites.some(({ form }) => !elsewhere.has(form)))
  const taken = new Set(inCode.map(({ name }) => name))
  return { path, before, after: withoutVariables(before, namesAt(path, candidates), taken), secret: false }
}

function containerChange(path: string, candidates: readonly Candidate[], { read }: Target): LiftedFile {
  const before = read(path) ?? ''
  return { path, before, after: withExpansions(path, before, namesAt(path, candidates)), secret: false }
}

/** A change after which its file would not parse any more: a mistake of ours, so that nothing must be written. */
export function brokenChange(changes: readonly LiftedFile[]): LiftedFile | undefined {
  return changes.find(({ path, after }) => {
    if (path.endsWith('.py')) return typeof pythonTree(after) === 'number'
    if (path.endsWith('.ipynb')) return cellsIn(after).length === 0
    return isScript(path) && !('programs' in parseFile({ path, text: after }))
  })
}
