/** The pure core: no `node:` import, runs in browsers, workers and Node alike. docs/library.md describes each name. */
export {
  type AssignmentRange,
  type DocumentFault,
  type LayerDocument,
  readLayer,
} from './format/document.js'
export type { Flaw } from './format/item-kinds.js'
export { type LayerValues, readValues } from './format/values.js'
export * from './legend/index.js'
export { type JsonSchema, legendFromJsonSchema, toJsonSchema } from './legend/json-schema.js'
export { mask } from './legend/mask.js'
export { flagHelp, flagOf, type HelpOptions } from './report/help.js'
export { type JsonReport, reportJson } from './report/json.js'
export { reportLines } from './report/lines.js'
export { reportSarif, type SarifLog, type SarifOptions } from './report/sarif.js'
export { settle } from './report/settle.js'
export { type Paint, type Reported, reportText, type TextOptions } from './report/text.js'
export { type Terms, type Variable, variablesOf } from './report/variables.js'
export { type Change, changesBetween } from './settle/changes.js'
export type { Excerpt, Fault, Notice, Place } from './settle/faults.js'
export type { FaultKind, NoticeKind } from './settle/kinds.js'
export { type Layer, type LayerSource, type LayerTraits, layerFromText, layerFromValues } from './settle/layer.js'
export type { Given, Met, Sources } from './settle/read.js'
export { reveal, stageOf } from './settle/settings.js'
export type { Stage, Texts } from './settle/stage.js'
export { SettleError, type Survey, survey, surveyWaiting } from './settle/survey.js'
export type { Passed, Trail, TrailPart, TrailStep } from './settle/trail.js'
