import { existsSync, statSync } from 'node:fs'
import { basename, dirname, resolve } from 'node:path'
import { isatty } from 'node:tty'
import type { Survey } from 'mappa'
import { type DeliveredValue, pathFrom, textAt } from 'mappa/command'
import { counted } from '../declared/counted.js'
import { git } from '../project/git/git.js'
import { telling, tellReadable, tellRecovered } from '../project/made-file.js'
import { choose } from '../terminal/ask.js'
import { diffText } from '../terminal/diff.js'
import { say } from '../terminal/say.js'
import { printExact, talk } from '../terminal/terminal.js'
import { exitCodes } from '../terminal/usage-error.js'
import { writeFiles } from '../writing/write.js'

/** A text that leaves this machine, or a file of it. */
export interface DeliveredText {
  /** The file, as it was named; undefined for standard output. */
  readonly path: string | undefined
  readonly text: string
  /** Names of the secrets whose texts are in it. */
  readonly secrets: readonly string[]
  /** True if what is in the file now may be lost, since it was made by the same command; always, unless this says otherwise. */
  readonly isMade?: (before: string) => boolean
}

/**
 * The one way in which values are passed on: no secret gets onto a screen that nobody has asked for twice, nor into a file
 * that the next commit would take; a file that is there already is written with what changes shown, all files or none.
 */
export async function deliver(
  texts: readonly DeliveredText[],
  {
    root,
    hidden,
    said,
    folder,
  }: {
    readonly root: string
    readonly hidden: readonly string[]
    readonly said: string
    /** A directory that the files lie in, and that may not be there yet. */
    readonly folder?: string | undefined
  },
): Promise<{ exitCode: number }> {
  const printed = texts.filter(({ path }) => path === undefined)
  const secrets = [...new Set(printed.flatMap((each) => each.secrets))]
  if (secrets.length > 0 && isatty(1) && !(await isWanted(secrets))) return { exitCode: exitCodes.faults }
  const files = texts.flatMap(({ path, ...rest }) => (path === undefined ? [] : [{ ...rest, path }]))
  const committed = files.filter(({ path, secrets }) => secrets.length > 0 && wouldBeCommitted(path))
  for (const { path, secrets } of committed)
    say(
      `${path} would contain ${namesTold(secrets)}, but is not ignored by git. Add it to .gitignore, or print it without --out.`,
    )
  const kept = files.flatMap((file) => whyKept(file, root) ?? [])
  for (const why of kept) say(why)
  if (committed.length > 0 || kept.length > 0) {
    say('Nothing was written.')
    return { exitCode: exitCodes.faults }
  }
  return telling(async () => {
    const writes = files.map(({ path, text, secrets }) => {
      const full = resolve(path)
      return { path: full, named: path, text, before: textAt(full) ?? null, secret: secrets.length > 0 }
    })
    await writeFiles(
      writes.map((write) => ({ ...write, outside: true })),
      root,
      { folders: folder === undefined ? [] : foldersTo(folder), onRecovered: tellRecovered, onReadable: tellReadable },
    )
    const terminal = talk()
    for (const { named, path, text, before, secret } of writes) {
      if (before === text) terminal.write(`${named} is up to date.\n`)
      else {
        if (before !== null)
          terminal.write(`${diffText([{ path: named, before, after: text }], hidden, terminal).trimEnd()}\n\n`)
        terminal.write(`${named} ${said}\n`)
      }
      if (secret && (statSync(path).mode & 0o044) !== 0 && process.platform !== 'win32')
        say(
          `Notice: ${named} contains secrets, but other users of this machine may read it.\n  → Run: chmod 600 ${named}`,
        )
    }
    for (const { text } of printed) printExact(text)
    return { exitCode: exitCodes.fine }
  })
}

/** A folder and those above it, outermost first. */
function foldersTo(folder: string): string[] {
  const all = [resolve(folder)]
  for (let at = dirname(all[0] as string); !existsSync(at); at = dirname(at)) all.unshift(at)
  return all
}

/** Why a file must stay as it is: nothing that a person has written is lost to what can be made again. */
function whyKept({ path, isMade }: DeliveredText & { readonly path: string }, root: string): string | undefined {
  const full = resolve(path)
  if (dirname(full) === resolve(root) && /^(?:\.env(?:\..*)?|mappa\.legend\.\w+)$/.test(basename(full)))
    return `${path} is a source of values, so it was not changed. Name another file.`
  const before = isMade && statSync(full, { throwIfNoEntry: false })?.isFile() ? textAt(full) : undefined
  return before === undefined || before === '' || isMade?.(before)
    ? undefined
    : `${path} exists, but this command did not write it. Name another file, or remove it.`
}

/** Texts that must not be shown where a change is. */
export function hiddenTextsOf(found: Survey, values: readonly DeliveredValue[]): readonly string[] {
  return [
    ...values.flatMap(({ hidden, text }) => (hidden && text !== '' ? [text] : [])),
    ...found.given.flatMap(({ name, text }) => (found.trail(name).declared || text === '' ? [] : [text])),
  ]
}

/** Asks before secrets are printed to a terminal: its scroll-back keeps them. */
async function isWanted(secrets: readonly string[]): Promise<boolean> {
  const what = `The output contains ${namesTold(secrets)}.`
  if (!isatty(0)) {
    say(`${what} Send it to a program or a file: … | command, or --out FILE. Nothing was printed.`)
    return false
  }
  const answer = await choose(
    `${what} Show ${secrets.length === 1 ? 'it' : 'them'}?`,
    [
      { name: 'No', value: false },
      { name: 'Yes', value: true },
    ],
    { output: process.stderr },
  )
  if (!answer) say('Nothing was printed.')
  return answer
}

/** At most this many names are listed. */
const secretsToldMax = 3

function namesTold(names: readonly string[]): string {
  if (names.length <= secretsToldMax) return names.join(', ')
  return `${counted(names.length, 'secret')} (${names.slice(0, secretsToldMax).join(', ')}, …)`
}

/** Tells whether a file lies in a repository that has it, or that does not ignore it. */
function wouldBeCommitted(path: string): boolean {
  const full = resolve(path)
  let directory = dirname(full)
  // A folder that is still to be made.
  while (!existsSync(directory) && directory !== dirname(directory)) directory = dirname(directory)
  if (git(directory, ['rev-parse', '--is-inside-work-tree'])?.trim() !== 'true') return false
  return git(directory, ['check-ignore', '-z', '--stdin'], pathFrom(directory, full)) === ''
}
