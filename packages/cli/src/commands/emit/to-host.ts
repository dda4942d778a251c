import { realpathSync } from 'node:fs'
import type { Fault, Survey } from 'mappa'
import { type DeliveredValue, tellRemote } from 'mappa/command'
import { counted } from '../../declared/counted.js'
import { type Chosen, chosenValues } from '../../delivery/chosen-values.js'
import { hostNames, hostTexts } from '../../delivery/host-report.js'
import { hostText, tokenOf } from '../../delivery/host-text.js'
import { exitCodeFor, openSound, type ProjectOptions } from '../../project/project.js'
import { choose } from '../../terminal/ask.js'
import { jsonReport, tellFaults } from '../../terminal/json-report.js'
import { row } from '../../terminal/paragraph.js'
import { say } from '../../terminal/say.js'
import { isAsked, jsonText, output } from '../../terminal/terminal.js'
import { type Ended, exitCodes, UsageError } from '../../terminal/usage-error.js'
import { widest } from '../../terminal/widest.js'
import { recordSent } from '../../writing/record.js'

/** Options of `mappa emit --to`. */
export interface HandOverOptions extends ProjectOptions, Chosen {
  readonly to: string
  readonly tokenFrom?: string
  readonly apply?: boolean
  readonly json?: boolean
}

/**
 * Gives a host what it must have of a stage: secrets, and what no layer in git gives; or what `--only` names. What it
 * would get is shown by its names, and nothing is sent until a person has said so.
 */
export async function emitToHost(options: HandOverOptions): Promise<Ended> {
  const { to, tokenFrom, json } = options
  if (!isPrivateWay(to))
    throw new UsageError('--to takes an address that begins with https://. http:// is only for this machine.')
  const project = await openSound(options, 'Nothing was sent.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  const { found, values: all, faults } = await chosenValues(project, options)
  if (faults.length > 0) {
    tellFaults({ stage: found.stage, faults, notices: [] }, 'Nothing was sent.')
    return { exitCode: exitCodeFor(faults) }
  }
  const wanted = all.filter((value) => value.name !== tokenFrom && isForHost(value, found, options))
  const token = tokenOf(tokenFrom, found)
  const answer =
    'why' in token ? token : await hostText({ host: to, ...(tokenFrom !== undefined && { tokenFrom }) }, found)
  const names = 'text' in answer ? hostNames(answer.text) : undefined
  if ('why' in token || names === undefined) {
    say('why' in answer ? answer.why : "The host's variables must be JSON or layer text.")
    say('Nothing was sent.')
    return { exitCode: exitCodes.faults }
  }
  const has = new Set(names)
  // A host that gives values back tells what it has already.
  const texts = 'text' in answer ? hostTexts(answer.text) : undefined
  const values = wanted.filter(({ name, text }) => texts?.[name] !== text)
  const planned = values.map(({ name, hidden }) => ({ name, secret: hidden, replaces: has.has(name) }))
  const send = () => tellRemote({ name: 'the host', url: to, token: token.text }, textsOf(values))
  const terminal = output()
  if (!json) terminal.write(`${planText(planned, found)}\n`)
  if (values.length === 0) {
    if (json) terminal.write(jsonText(jsonReport({ stage: found.stage }, { values: planned, sent: false })))
    return { exitCode: exitCodes.fine }
  }
  const isWanted = options.apply === true || (!json && isAsked() && (await isConfirmed(values.length)))
  const fault = isWanted ? await send() : undefined
  if (json)
    terminal.write(
      jsonText(
        jsonReport({ stage: found.stage, faults: fault ? [fault] : [] }, { values: planned, sent: isWanted && !fault }),
      ),
    )
  if (fault) return failed(fault)
  if (isWanted) recordSent(realpathSync(project.root), new URL(to).origin)
  if (!json) terminal.write(`${isWanted ? `Sent ${counted(values.length, 'value')}.` : nothingYet(options)}\n`)
  return { exitCode: exitCodes.fine }
}

/** Refuses an address without encryption, where anyone on the way could read the values. */
function isPrivateWay(to: string): boolean {
  if (!URL.canParse(to)) return false
  const { protocol, hostname } = new URL(to)
  const isHere = hostname === 'localhost' || hostname === '[::1]' || /^127\.[\d.]+$/.test(hostname)
  return protocol === 'https:' || (protocol === 'http:' && isHere)
}

function failed({ message, remedy }: Fault): Ended {
  say(`${message} ${remedy}`)
  return { exitCode: exitCodes.faults }
}

function nothingYet({ apply }: HandOverOptions): string {
  return apply || isAsked() ? 'Nothing was sent.' : 'Nothing was sent. To send, add: --apply'
}

/** Leaves out values of committed layers: they reach the host with the program, and a copy there would override later ones. */
function isForHost({ name, hidden, source }: DeliveredValue, found: Survey, { only }: Chosen): boolean {
  if (source === 'remote') return false
  if (only !== undefined || hidden) return true
  const { winner } = found.trail(name)
  const local = found.layers.some((layer) => layer.name === winner?.layer && layer.local)
  return local || source === 'directory' || source === 'given' || source === 'environment'
}

function textsOf(values: readonly DeliveredValue[]): Readonly<Record<string, string>> {
  return Object.fromEntries(values.map(({ name, text }) => [name, text]))
}

function planText(
  planned: readonly { readonly name: string; readonly secret: boolean; readonly replaces: boolean }[],
  { stage }: Survey,
): string {
  const head = `Stage ${stage.name}, to the host:`
  if (planned.length === 0) return `${head}\n\n  Nothing: the host or a committed layer already has every value.\n`
  const width = widest(planned.map(({ name }) => name)) + 2
  const lines = planned.map(({ name, secret, replaces }) =>
    row([
      { text: `  ${name}`, width: width + 2 },
      { text: `${replaces ? 'replaces its value' : 'new'}${secret ? ', secret' : ''}`, width: 40 },
    ]),
  )
  return `${head}\n\n${lines.join('\n')}\n`
}

async function isConfirmed(count: number): Promise<boolean> {
  return choose(`Send ${counted(count, 'value')}?`, [
    { name: 'No', value: false },
    { name: 'Yes', value: true },
  ])
}
