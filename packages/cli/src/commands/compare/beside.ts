import { type Legend, printable } from 'mappa'
import { git } from '../../project/git/git.js'
import { startFiles } from '../../project/start-files.js'
import type { StartFiles } from '../../starts/start.js'
import { waysOf } from '../../starts/ways.js'

/** What has changed beside the variables: exceptions, sources and starts. */
export interface BesideChange {
  readonly kind: 'exception' | 'source' | 'start'
  readonly change: 'added' | 'removed' | 'changed'
  /** In words; holds no command and no value. */
  readonly what: string
}

/** Facts of one time, each under words that name it. */
type Facts = ReadonlyMap<string, { readonly kind: BesideChange['kind']; readonly text: string }>

/** A project at one time. */
interface Side {
  readonly definition: Legend | undefined
  readonly files: StartFiles
  /** Lines with `mappa keep: reason`, each with its file. */
  readonly kept: readonly string[]
}

/** The differences between a commit and now. Paths are from the root. */
export function besideChanges(
  root: string,
  commit: string,
  now: Legend,
  before: Legend | undefined,
): readonly BesideChange[] {
  const listed = (git(root, ['ls-tree', '-r', '-z', '--name-only', commit]) ?? '').split('\0')
  const here = startFiles(root)
  const there: StartFiles = {
    ...here,
    paths: listed.filter((path) => path !== ''),
    read: (path) => git(root, ['show', `${commit}:./${path}`]),
  }
  const marked = ['-I', '-n', '-e', 'mappa keep: ']
  const keptNow = keepReasons(git(root, ['grep', '--untracked', ...marked]) ?? '')
  const keptThen = keepReasons((git(root, ['grep', ...marked, commit]) ?? '').replaceAll(`${commit}:`, ''))
  return changesBetweenFacts(
    sideFacts({ definition: before, files: there, kept: keptThen }),
    sideFacts({ definition: now, files: here, kept: keptNow }),
  )
}

function changesBetweenFacts(old: Facts, fresh: Facts): readonly BesideChange[] {
  const added = [...fresh].flatMap(([what, { kind, text }]): BesideChange[] => {
    const earlier = old.get(what)
    if (!earlier) return [{ kind, change: 'added', what }]
    return earlier.text === text ? [] : [{ kind, change: 'changed', what }]
  })
  const removed = [...old].flatMap(([what, { kind }]): BesideChange[] =>
    fresh.has(what) ? [] : [{ kind, change: 'removed', what }],
  )
  return [...added, ...removed]
}

function sideFacts({ definition, files, kept }: Side): Facts {
  const facts = new Map<string, { readonly kind: BesideChange['kind']; readonly text: string }>()
  for (const { kind, name, because, until } of definition?.accepted ?? [])
    facts.set(`${kind}${name === undefined ? '' : ` of ${name}`}: ${printable(because)}`, {
      kind: 'exception',
      text: until,
    })
  for (const line of kept) facts.set(printable(line), { kind: 'exception', text: '' })
  for (const each of acceptedFindings(files.read('mappa.accepted.json')))
    facts.set(each.what, { kind: 'exception', text: each.text })
  for (const remote of definition?.remotes ?? [])
    facts.set(printable(remote.name), { kind: 'source', text: JSON.stringify(remote) })
  for (const { name, command, sets, loads } of waysOf(files))
    facts.set(printable(name), { kind: 'start', text: JSON.stringify([command, [...sets], loads]) })
  return facts
}

/** Files and reasons of `path:line:text`; of the text only what is behind the mark is shown. */
function keepReasons(found: string): readonly string[] {
  return found.split('\n').flatMap((line) => {
    const [, path = '', reason] = /^([^:]+):\d+:.*?\bmappa keep: (.*?)\s*(?:\*\/)?$/.exec(line) ?? []
    const isOwn = reason !== undefined && reason !== 'reason' && !/\.(?:md|test\.[jt]s)$/.test(path)
    return isOwn ? [`${path}: ${reason}`] : []
  })
}

/** The findings that `guard` accepts, by their reasons. */
function acceptedFindings(text: string | undefined): readonly { readonly what: string; readonly text: string }[] {
  try {
    const list: unknown = JSON.parse(text ?? '[]')
    return (Array.isArray(list) ? list : []).flatMap((each: unknown) => {
      const { because, ...rest } = (each ?? {}) as { because?: unknown }
      return typeof because === 'string' ? [{ what: `guard: ${printable(because)}`, text: JSON.stringify(rest) }] : []
    })
  } catch {
    return []
  }
}

/** One line for each, for a terminal or a review. */
export function besideLines(changes: readonly BesideChange[]): readonly string[] {
  return changes.map(({ kind, change, what }) => `${change} ${kind}: ${what}`)
}
