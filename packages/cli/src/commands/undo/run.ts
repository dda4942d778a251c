import { realpathSync } from 'node:fs'
import path from 'node:path'
import { type Legend, legend, printable } from 'mappa'
import { repositoryTop } from 'mappa/command'
import { counted } from '../../declared/counted.js'
import { hiddenValues } from '../../edits/hidden-values.js'
import { type CarryOptions, confirmed } from '../../project/carry-out.js'
import { tellReadable, tellRecovered } from '../../project/made-file.js'
import { openProject, type ProjectOptions } from '../../project/project.js'
import { diffText, type FileChange } from '../../terminal/diff.js'
import { jsonReport } from '../../terminal/json-report.js'
import { paragraph } from '../../terminal/paragraph.js'
import { jsonText, output, talk } from '../../terminal/terminal.js'
import { type Ended, exitCodes } from '../../terminal/usage-error.js'
import { livenessOf } from '../../writing/owner.js'
import {
  contentAt,
  type FileRecord,
  lastRecord,
  type Recorded,
  recordFolder,
  type TransactionRecord,
} from '../../writing/record.js'
import { abandonedIn, type Recovered, removeFolders, stateOf } from '../../writing/recover.js'
import { endOpenWrites, WriteError, writeFiles } from '../../writing/write.js'

export interface UndoOptions extends ProjectOptions, CarryOptions {}

/** `mappa undo`: takes back the writes of the last command, byte for byte where nobody has changed a file since. */
export async function undo(options: UndoOptions): Promise<Ended> {
  const project = await openProject(options)
  const root = realpathSync(project.root)
  try {
    const folder = recordFolder(root)
    if (folder !== undefined) {
      const ended = await openEnded(folder, root, options)
      if (ended) return ended
    }
    const last = folder === undefined ? undefined : lastRecord(folder, root)
    if (!last) return nothing(root)
    return await takenBack(last.record, path.dirname(last.file), project.definition ?? legend({}), options)
  } catch (error) {
    if (!(error instanceof WriteError)) throw error
    talk().write(`${error.message}\n`)
    return { exitCode: exitCodes.faults }
  }
}

function nothing(root: string): Ended {
  talk().write(`Nothing to undo in ${printable(root)}: no command wrote files here in the last 24 hours.\n`)
  return { exitCode: exitCodes.faults }
}

/** Ends writes that were left open: those of a process that is gone at once, those from elsewhere once a person says so. */
async function openEnded(folder: string, root: string, options: UndoOptions): Promise<Ended | undefined> {
  const { gone, elsewhere } = abandonedIn(folder, repositoryTop(root) ?? root)
  if (gone.length + elsewhere.length === 0) return undefined
  const terminal = output()
  const [other] = elsewhere
  if (other && !options.json) {
    const { command, at, owner, files } = other.record
    const what = `${command} began to write ${counted(files.length, 'file')} on ${owner.host} at ${timeText(at)}, but did not finish.`
    terminal.write(`${paragraph(printable(what), terminal.width)}\n`)
  }
  if (other && !options.apply) {
    const files = other.record.files.map((each) => ({ path: shownPath(each, root), before: '' }))
    if (options.json) terminal.write(jsonText(jsonReport({}, { open: elsewhere.map(openJson), written: false })))
    if (options.json || !(await confirmed(files, 'mappa undo', options))) return { exitCode: exitCodes.fine }
  }
  const ended: Recovered[] = []
  await endOpenWrites(root, { endsElsewhere: true, onRecovered: (each) => ended.push(each) })
  if (options.json) terminal.write(jsonText(jsonReport({}, { ended, written: true })))
  else for (const each of ended) tellRecovered(each)
  return { exitCode: exitCodes.fine }
}

/** A write that was left open elsewhere. */
function openJson({ record }: Recorded): object {
  const { command, at, owner, files, root } = record
  return { command, at, host: owner.host, files: files.map((each) => shownPath(each, root)) }
}

/** A file that can be taken back. */
interface Restored {
  readonly record: FileRecord
  readonly now: Buffer | undefined
  readonly old: Buffer | null
}

async function takenBack(
  record: TransactionRecord,
  folder: string,
  definition: Legend,
  options: UndoOptions,
): Promise<Ended> {
  const { root, command } = record
  const terminal = output()
  const say = (text: string) => terminal.write(`${paragraph(text, terminal.width)}\n`)
  // A record that came with a folder from elsewhere may name any file of this machine.
  const isOurs = livenessOf(record.owner) !== 'elsewhere'
  const isInside = (each: FileRecord) => each.path.startsWith((repositoryTop(root) ?? root) + path.sep)
  const states = record.files.map((each) => ({ each, state: isOurs || isInside(each) ? stateOf(each) : 'other' }))
  const changed = states.filter(({ state }) => state === 'other').map(({ each }) => shownPath(each, root))
  const forgotten = states.filter(({ each, state }) => state === 'after' && each.before === undefined)
  const files = states.flatMap(({ each, state }): Restored[] =>
    state !== 'after' || each.before === undefined
      ? []
      : [
          {
            record: each,
            now: contentAt(each.path),
            old: each.before === null ? null : Buffer.from(each.before, 'base64'),
          },
        ],
  )
  const left = [
    ...(changed.length > 0 ? [`Changed since, so left as it is: ${changed.map(printable).join(', ')}.`] : []),
    ...forgotten.map(
      ({ each }) =>
        `${printable(shownPath(each, root))} stays as it is: Mappa never keeps the old value of a replaced secret.`,
    ),
    ...(record.sent === undefined ? [] : [`Values that were sent to ${printable(record.sent)} stay there.`]),
  ]
  const listed = files.map(({ record: each, old }) => ({
    path: shownPath(each, root),
    change: old === null ? 'removed' : each.sums[1] === null ? 'new' : 'edited',
  }))
  const restore = async () => {
    await writeFiles(
      files.map(({ record: each, now, old }) => ({
        path: each.path,
        text: old,
        before: now ?? null,
        outside: true,
        ...(each.mode !== undefined && { mode: each.mode }),
      })),
      root,
      { onRecovered: tellRecovered, onReadable: tellReadable },
    )
    removeFolders(record.folders)
  }
  if (options.json) {
    if (options.apply) await restore()
    const stays = [...changed, ...forgotten.map(({ each }) => shownPath(each, root))]
    const sent = record.sent === undefined ? {} : { sent: record.sent }
    const about = { command, at: record.at, files: listed, left: stays, ...sent, written: options.apply === true }
    terminal.write(jsonText(jsonReport({}, about)))
    return { exitCode: exitCodes.fine }
  }
  say(`The last command that wrote here: ${command}, ${timeText(record.at)}.`)
  terminal.write('\n')
  const changes = files.map(
    ({ record: each, now, old }): FileChange => ({
      path: shownPath(each, root),
      before: diffable(now),
      after: diffable(old) ?? '',
    }),
  )
  // What was made from the legend follows it, and says nothing more.
  const shown = changes.filter((each) => !each.path.startsWith('mappa.types.d.ts'))
  if (shown.length > 0) terminal.write(`${diffText(shown, hiddenValues(changes, definition), terminal).trimEnd()}\n\n`)
  for (const line of left) say(line)
  if (files.length === 0) {
    terminal.write('Nothing can be taken back.\n')
    return { exitCode: exitCodes.faults }
  }
  const place = path.relative(root, folder)
  say(
    `The old texts are in ${printable(place.startsWith('..') ? folder : place)} for a day, or until a command writes.`,
  )
  if (!options.apply) {
    const asked = listed.map(({ path: each, change }) => ({ path: each, before: change === 'new' ? null : '' }))
    if (!(await confirmed(asked, 'mappa undo', options))) return { exitCode: exitCodes.fine }
  }
  await restore()
  say(`Took back ${command}: ${listed.map(({ path: each }) => printable(each)).join(', ')}.`)
  return { exitCode: exitCodes.fine }
}

function shownPath({ path: file }: FileRecord, root: string): string {
  const inside = path.relative(root, file)
  return inside.startsWith('..') ? file : inside.replaceAll('\\', '/')
}

/** What a diff shows of a content. */
function diffable(content: Buffer | null | undefined): string | null {
  if (!content) return null
  return content.includes(0) ? `(${counted(content.length, 'byte')})` : content.toString('utf8')
}

/** In local time, as a person knows it: `2026-11-30 14:05`. */
function timeText(at: string): string {
  const date = new Date(at)
  const two = (value: number) => String(value).padStart(2, '0')
  return `${date.getFullYear()}-${two(date.getMonth() + 1)}-${two(date.getDate())} ${two(date.getHours())}:${two(date.getMinutes())}`
}
