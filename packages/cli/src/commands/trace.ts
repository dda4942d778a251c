import {
  type Fault,
  nearest,
  originOf,
  reportText,
  type Survey,
  stageLine,
  type Trail,
  type TrailPart,
  type TrailStep,
} from 'mappa'
import { paragraph } from '../paragraph.js'
import { openProject, type ProjectOptions, surveyProject } from '../project.js'
import { output, type Terminal } from '../terminal.js'
import { exitCodes } from '../usage.js'

/** Options of `mappa trace`. */
export interface TraceOptions extends ProjectOptions {
  readonly json?: boolean
}

/** `mappa trace NAME…`: where values come from, and what they hide. A name may be a pattern, `ALERT_*`. Secrets are masked. */
export async function trace(
  wanted: readonly string[],
  options: TraceOptions,
): Promise<{ exitCode: number; cause?: unknown }> {
  const project = await openProject(options)
  const { found } = await surveyProject(project, options)
  const names = [...new Set(wanted.flatMap((each) => namesFor(each, found)))]
  const missed = wanted.filter((each) => each.includes('*') && namesFor(each, found).length === 0)
  const trails = names.map((name) => found.trail(name))
  const faults = faultsFor(found, names)
  const terminal = output()
  const isKnown = ({ declared, steps }: Trail) => declared || steps.length > 0
  if (options.json) terminal.write(`${JSON.stringify(traceJson(found, trails, faults), null, 2)}\n`)
  else {
    const blocks = [
      stageLine(found.stage, terminal.paint),
      ...trails.flatMap((trail) => {
        if (isKnown(trail)) return [trailText(trail, terminal)]
        // Without a legend that can be read, nothing is known of any name.
        return faults.some(({ name }) => name === undefined) ? [] : [unknown(trail.name, found)]
      }),
      ...missed.map((pattern) => `No variable is called ${pattern}.`),
    ]
    terminal.write(`${blocks.join('\n\n')}\n`)
    if (faults.length > 0) terminal.write(`\n${faultText(found, faults, terminal)}`)
  }
  const isFine = trails.every(isKnown) && missed.length === 0 && faults.length === 0
  return { exitCode: isFine ? exitCodes.fine : exitCodes.faults, cause: project.cause }
}

/** The names that a name or a pattern stands for, in the order of the legend; a name may be one that nothing sets. */
function namesFor(wanted: string, found: Survey): readonly string[] {
  if (!wanted.includes('*')) return [wanted]
  const pattern = new RegExp(`^${wanted.replaceAll('*', '.*')}$`)
  return [...found.trails.keys()].filter((name) => pattern.test(name))
}

/** The faults of these variables, and those without which nothing can be said of any. */
function faultsFor(found: Survey, names: readonly string[]): Fault[] {
  const general = new Set(['legend', 'unknown-stage', 'unreadable', 'no-layers'])
  return found.faults.filter(({ name, kind }) => (name === undefined ? general.has(kind) : names.includes(name)))
}

function faultText(found: Survey, faults: readonly Fault[], terminal: ReturnType<typeof output>): string {
  // The stage line stands above the trail already.
  return reportText({ stage: found.stage, faults, notices: [] }, terminal).split('\n\n').slice(1).join('\n\n')
}

function trailText({ name, expects, steps, winner }: Trail, { paint, width }: Terminal): string {
  const what = winner ? `is ${paint.bold(winner.shown)}` : 'has no value'
  const lead = paragraph(`${name} ${what}${expects ? paint.dim(`, and must be ${expects}`) : ''}.`, width)
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

/** The shape of `trace --json`: docs/json/trace.schema.json. `version` changes when a member changes its meaning or goes. */
function traceJson({ stage }: Survey, trails: readonly Trail[], faults: readonly Fault[]) {
  return {
    version: 2,
    stage: { name: stage.name, from: stage.from ?? null },
    trails: trails.map(({ name, declared, expects, winner, steps }) => ({
      name,
      declared,
      expects: expects ?? null,
      value: winner?.shown ?? null,
      steps,
    })),
    faults,
  }
}
