/** The pure core: no `node:` import, runs in browsers, workers and Node alike. */
export {
  type AssignmentRange,
  type DocumentFault,
  LayerDocument,
  readLayer,
} from './format/document.js'
export type { Flaw } from './format/kinds.js'
export { LayerValues, readValues } from './format/values.js'
export { type JsonSchema, legendFromJsonSchema, toJsonSchema } from './legend/json-schema.js'
export { type Legend, type LegendOptions, legend, type Remote, type Rules, stagesOf } from './legend/legend.js'
export { mask } from './legend/mask.js'
export { nearest } from './legend/nearest.js'
export type { StandardResult, StandardSchema } from './legend/standard-schema.js'
export type {
  AmountEntry,
  Entries,
  Entry,
  Format,
  Generate,
  ListEntry,
  NumberEntry,
  ObjectEntry,
  PemEntry,
  SettingOf,
  Settings,
  SwitchEntry,
  TextEntry,
} from './legend/types.js'
export { flagHelp, flagOf, type HelpOptions } from './report/help.js'
export { type JsonReport, reportJson } from './report/json.js'
export { reportLines } from './report/lines.js'
export { reportSarif, type SarifLog, type SarifOptions } from './report/sarif.js'
export { settle } from './report/settle.js'
export { type Paint, type Reported, reportText, stageLine, type TextOptions, tally } from './report/text.js'
export { type Terms, type Variable, variablesOf } from './report/variables.js'
export { type Change, changesBetween, originOf } from './settle/changes.js'
export {
  type Excerpt,
  type Fault,
  type Notice,
  type Place,
  printable,
} from './settle/faults.js'
export type { FaultKind, NoticeKind } from './settle/kinds.js'
export { type Layer, type LayerSource, type LayerTraits, layerFromText, layerFromValues } from './settle/layer.js'
export type { Sources } from './settle/read.js'
export { reveal, stageOf } from './settle/settings.js'
export type { Stage, Texts } from './settle/stage.js'
export { SettleError, type Survey, survey, surveyWaiting } from './settle/survey.js'
export type { Trail, TrailPart, TrailStep } from './settle/trail.js'
