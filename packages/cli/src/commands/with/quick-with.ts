import { childEnvironment, isTypeScript, loadKept, plainStart } from 'mappa/command'
import { findRoot, type LoadedLegend, loadLegendFile } from 'mappa/node'
import { oddAbove } from '../../project/odd.js'
import { limitPatterns } from '../../project/patterns.js'
import { inPlace } from '../../run/in-place.js'
import { longTextMax } from '../../run/text-max.js'

/**
 * `mappa with` where all is as it mostly is: the legend compiled or plain, its sources files and the environment, and no fault.
 * It is the one command that is in front of others all day, so it loads nothing that it does not need; whatever else
 * there is to do or to say is left to the whole program. Resolves to undefined then, and else to the exit code.
 */
export async function quickWith(args: readonly string[]): Promise<number | undefined> {
  const asked = wanted(args)
  if (!asked) return undefined
  const { stage, root: named, command } = asked
  limitPatterns()
  const { directory: root, legendFile } = findRoot({ root: named, environmentRoot: process.env.MAPPA_ROOT })
  const loaded = legendFile === undefined ? undefined : await legendIn(root, legendFile)
  if (legendFile !== undefined && (!loaded || 'fault' in loaded)) return undefined
  const definition = loaded && 'definition' in loaded ? loaded.definition : undefined
  const start = plainStart(root, definition, stage)
  if (!start) return undefined
  if (start.given.some(({ name, text }) => text.length * 3 + name.length + 2 > longTextMax)) return undefined
  const env = childEnvironment(start, process.env, root, { asked: false })
  const { spawn } = process.getBuiltinModule('node:child_process')
  const [program, ...rest] = command
  try {
    return await inPlace(spawn(program, rest, { stdio: 'inherit', env }))
  } catch {
    // Nothing was started, and the whole program says why.
    return undefined
  }
}

interface QuickAsk {
  readonly stage: { readonly name: string; readonly from: string } | undefined
  readonly root: string | undefined
  readonly command: readonly [string, ...string[]]
}

/** The request, if it names no more than a stage, a root and a command. */
function wanted(args: readonly string[]): QuickAsk | undefined {
  const split = args.indexOf('--')
  const [program, ...rest] = split < 0 ? [] : args.slice(split + 1)
  if (program === undefined) return undefined
  let stage: QuickAsk['stage']
  let root: string | undefined
  const own = args.slice(1, split)
  for (let at = 0; at < own.length; at++) {
    const [, flag, inside] = /^--(stage|root)(?:=([\s\S]+))?$/.exec(own[at] as string) ?? []
    const isStage = flag === undefined && /^[a-z][a-z0-9-]*$/.test(own[at] as string)
    const value = inside ?? (flag === undefined ? own[at] : own[++at])
    if ((flag === undefined && !isStage) || value === undefined || value.startsWith('-')) return undefined
    // A repeated option is left to the whole program.
    if (flag === 'root' ? root !== undefined : stage !== undefined) return undefined
    if (flag === 'root') root = value
    else stage = { name: value, from: flag === undefined ? 'the command line' : '--stage' }
  }
  return { stage, root, command: [program, ...rest] }
}

async function legendIn(root: string, legendFile: string): Promise<LoadedLegend | undefined> {
  const path = `${root}/${legendFile}`
  if (legendFile.endsWith('.json')) return loadLegendFile(path)
  if (oddAbove(root)) return undefined
  return isTypeScript(legendFile) ? loadKept(path) : loadLegendFile(path)
}
