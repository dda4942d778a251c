import { ownStage } from '../code/stages/stage-tests.js'
import { wordsOf } from '../code/words.js'
import type { Finding } from './finding.js'

/**
 * Files that each give a stage its values: `config/production.js` beside `config/development.js`, `hives.prod.ts` beside
 * `hives.ts`. What they give under one name is one setting, also where one has the value and another reads a variable.
 */
export function inStageFiles(findings: readonly Finding[]): readonly Finding[] {
  const { familyOf, stagesOf } = familiesOf(findings)
  const placed = findings.map((finding) => ({ finding, ...familyOf(finding.path) }))
  // A member that one file reads from a variable is that variable in the others, too.
  const variables = new Map<string, string>()
  for (const { finding, family } of placed) {
    const { variable } = finding
    if (family !== undefined && variable?.member !== undefined && !variable.fallback)
      variables.set(`${family} ${wordsOf(variable.member).join(' ')}`, variable.name)
  }
  return placed.map(({ finding, family, stage }) => {
    if (family === undefined) return finding
    const { words, outer, group, variable, form } = finding
    const apart = { inStage: stage, stageFiles: stagesOf(family) }
    if (variable) return { ...finding, ...apart }
    if (group !== undefined || words.length === 0) return finding
    const name = form === 'string' ? variables.get(`${family} ${words.join(' ')}`) : undefined
    const own = name === undefined ? `${family} ${[...outer, ...words].join(' ')}` : `variable ${name}`
    return { ...finding, ...apart, stage, ofStage: true, group: own }
  })
}

/** The families of stage files that have more than one of them. */
function familiesOf(findings: readonly Finding[]) {
  const families = new Map<string, Set<string>>()
  const paths = new Set(findings.map(({ path }) => path))
  for (const path of paths) {
    const { family } = namedAfterStage(path) ?? {}
    if (family !== undefined) families.set(family, (families.get(family) ?? new Set()).add(path))
  }
  // hives.ts is the base of hives.prod.ts.
  for (const path of paths) families.get(baseOf(path))?.add(path)
  const familyOf = (path: string): { readonly family?: string; readonly stage?: string | undefined } => {
    const { family, stage } = namedAfterStage(path) ?? { family: baseOf(path), stage: undefined }
    return (families.get(family)?.size ?? 0) < 2 ? {} : { family, stage }
  }
  const stagesOf = (family: string) =>
    [...(families.get(family) ?? [])].flatMap((path) => namedAfterStage(path)?.stage ?? [])
  return { familyOf, stagesOf }
}

function baseOf(path: string): string {
  return path.replace(/[cm]?[jt]s$/, '')
}

/** The files that a file is one of, if its name is a stage's; `default.js` is for all stages. */
function namedAfterStage(path: string): { readonly family: string; readonly stage: string | undefined } | undefined {
  const [, family = '', word = ''] = /^((?:.*[/.])?)([A-Za-z]+)\.[cm]?[jt]s$/.exec(path) ?? []
  const stage = ownStage(word)
  return family !== '' && (stage !== undefined || /^(?:defaults?|base|common|shared)$/.test(word))
    ? { family, stage }
    : undefined
}

/** The values of a setting, and the stages that cannot do without one, where not all can. */
export interface Staged {
  readonly value: string | undefined
  readonly stages: Readonly<Record<string, string>>
  readonly neededIn?: readonly string[]
}

/**
 * What a setting of stage files comes to. Which file code takes in which stage, only code knows, and mostly it is that of
 * development where it asks for no other: so that one's values are for all. What is not a secret gets one in any case; a secret
 * and a variable are needed only in the stages whose files have them.
 */
export function stagedValues(sites: readonly Finding[], given: Staged, secret: boolean): Staged {
  if (!sites.every(({ stageFiles }) => stageFiles)) return given
  const own = sites.flatMap(({ inStage }) => inStage ?? [])
  const isInAll = own.length < sites.length || (sites[0]?.stageFiles ?? []).every((stage) => own.includes(stage))
  const isRead = sites.some(({ variable }) => variable)
  const [first] = secret || isRead ? [] : Object.values(given.stages)
  const value = given.value ?? given.stages.development ?? first
  const stages = Object.fromEntries(Object.entries(given.stages).filter(([, each]) => each !== value))
  const isEverywhere = isInAll || (value !== undefined && !secret && !isRead)
  return { value, stages, ...(!isEverywhere && { neededIn: [...new Set(own)] }) }
}
