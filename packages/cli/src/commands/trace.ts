import {
  type Fault,
  nearest,
  originOf,
  type Paint,
  reportText,
  type Survey,
  stageLine,
  type Trail,
  type TrailPart,
  type TrailStep,
} from 'mappa'
import { openProject, type ProjectOptions, surveyProject } from '../project.js'
import { output } from '../terminal.js'
import { exitCodes } from '../usage.js'

/** Options of `mappa trace`. */
export interface TraceOptions extends ProjectOptions {
  readonly json?: boolean
}

/** `mappa trace NAME`: where one value comes from, and what it hides. Secrets are masked. */
export async function trace(name: string, options: TraceOptions): Promise<{ exitCode: number; cause?: unknown }> {
  const project = await openProject(options)
  const { found } = await surveyProject(project, options)
  const trail = found.trail(name)
  const faults = faultsFor(found, name)
  const terminal = output()
  if (options.json) terminal.write(`${JSON.stringify(traceJson(found, trail, faults), null, 2)}\n`)
  else if (trail.declared || trail.steps.length > 0) {
    terminal.write(`${stageLine(found.stage, terminal.paint)}\n\n${trailText(trail, terminal.paint)}\n`)
    if (faults.length > 0) terminal.write(`\n${faultText(found, faults, terminal)}`)
  } else if (faults.length > 0) terminal.write(reportText({ stage: found.stage, faults, notices: [] }, terminal))
  else terminal.write(`${stageLine(found.stage, terminal.paint)}\n\n${unknown(name, found)}\n`)
  const known = trail.declared || trail.steps.length > 0
  return { exitCode: known && faults.length === 0 ? exitCodes.fine : exitCodes.faults, cause: project.cause }
}

/** The faults of this variable, and those without which nothing can be said of any. */
function faultsFor(found: Survey, name: string): Fault[] {
  const general = new Set(['legend', 'unknown-stage', 'unreadable', 'no-layers'])
  return found.faults.filter((fault) => fault.name === name || (fault.name === undefined && general.has(fault.kind)))
}

function faultText(found: Survey, faults: readonly Fault[], terminal: ReturnType<typeof output>): string {
  // The stage line stands above the trail already.
  return reportText({ stage: found.stage, faults, notices: [] }, terminal).split('\n\n').slice(1).join('\n\n')
}

function trailText({ name, expects, steps, winner }: Trail, paint: Paint): string {
  const what = winner ? `is ${paint.bold(winner.shown)}` : 'has no value'
  const lead = `${name} ${what}${expects ? paint.dim(`, and must be ${expects}`) : ''}.`
  if (steps.length === 0) return lead
  const origins = steps.map(originOf)
  const widest = Math.max(...origins.map((origin) => origin.length))
  const widestValue = Math.min(40, Math.max(...steps.map(({ shown }) => shown.length)))
  const lines = steps.flatMap((step, at) => {
    const origin = (origins[at] as string).padEnd(widest)
    const value = step.shown.padEnd(widestValue)
    if (step !== winner) return paint.dim(`    ${origin}  ${value}  ${whyPassed(step, winner)}`)
    return [`  → ${paint.bold(origin)}  ${paint.bold(value)}`.trimEnd(), ...(step.parts ?? []).map(partText)]
  })
  return `${lead}\n\n${lines.join('\n')}`
}

/** What a value was built from, below the value. */
function partText({ name, layer, place, shown }: TrailPart): string {
  const from = place
    ? `${place.file}:${place.line}:${place.column}`
    : layer === 'the legend'
      ? 'default in the legend'
      : layer
  return `      \${${name}} is ${shown === undefined ? 'not set' : `${shown}, from ${from}`}`
}

function whyPassed({ passed, source }: TrailStep, winner: TrailStep | undefined): string {
  if (passed === 'cleared') return 'is empty, and so clears what lies below'
  if (passed === 'empty') return 'is empty, and so does not count'
  return winner
    ? `hidden by ${winner.source !== 'default' ? winner.layer : source === 'default' ? `the default for ${winner.stage}` : 'an empty value above'}`
    : 'cleared by an empty value above'
}

function unknown(name: string, found: Survey): string {
  const near = nearest(name, found.trails.keys())
  return `No layer sets ${name}, and the legend has no entry for it.${near ? ` Did you mean ${near}?` : ''}`
}

/** The shape of `trace --json`. `version` changes when a member changes its meaning or goes. */
function traceJson({ stage }: Survey, { name, declared, expects, winner, steps }: Trail, faults: readonly Fault[]) {
  return {
    version: 1,
    stage: { name: stage.name, from: stage.from ?? null },
    name,
    declared,
    expects: expects ?? null,
    value: winner?.shown ?? null,
    steps,
    faults,
  }
}
