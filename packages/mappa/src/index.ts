/** The pure core: no `node:` import, runs in browsers, workers and Node alike. docs/library.md describes each name. */
export { type DocumentFault, type LayerDocument, readLayer } from './format/document.js'
export type { Flaw } from './format/item-kinds.js'
export { isName, isStageName } from './format/names.js'
export type { AssignmentRange } from './format/values.js'
export { type AnyEntry, fixedAt, placeOf, reachesBrowser } from './legend/entry.js'
export * from './legend/index.js'
export { type JsonSchema, legendFromJsonSchema, toJsonSchema } from './legend/json-schema.js'
export { entriesOf, stagesOf } from './legend/legend.js'
export { mask } from './legend/mask.js'
export { flagHelp, type HelpOptions } from './report/help.js'
export { type JsonReport, reportJson } from './report/json.js'
export { type Paint, type Reported, reportText, type TextOptions } from './report/report-text.js'
export { reportSarif, type SarifLog, type SarifOptions } from './report/sarif.js'
export { settleLayers } from './report/settle.js'
export { type Terms, type Variable, variablesOf } from './report/variables.js'
export { settle, settleAsync, survey, surveyAsync, watch, watchAsync } from './report/wrong-door.js'
export { type Change, changesBetween } from './settle/changes.js'
export { type Excerpt, type Fault, type Notice, type Place, printable } from './settle/faults/faults.js'
export type { FaultKind, NoticeKind } from './settle/faults/kinds.js'
export type { AcceptedOccurrence, Given, Sources } from './settle/reading/read.js'
export { reveal, stageOf } from './settle/reading/settings.js'
export {
  type Layer,
  type LayerOptions,
  type LayerSource,
  layerFromText,
  layerFromValues,
} from './settle/stack/layer.js'
export type { Stage, Texts } from './settle/stack/stage.js'
export { SettleError, type Survey, surveyLayers, surveyLayersAsync } from './settle/survey.js'
export type { Passed, Trail, TrailPart, TrailStep } from './settle/trail.js'
