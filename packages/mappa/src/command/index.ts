/** What the command needs of the library, beside what everybody may use. Not documented, and not for others. */

export { browserModule } from '../bundle/settings-module.js'
export { type Expansion, type Part, parseParts } from '../format/expansion.js'
export { isName, isStageName } from '../format/names.js'
export { isNameOfShell } from '../format/portability.js'
export { encodeValue } from '../format/value.js'
export { withoutCredentials } from '../leak/credentials.js'
export { Needles } from '../leak/needles.js'
export { isAccepted } from '../legend/accepted.js'
export { tryPatternsWith } from '../legend/constraints.js'
export { type AnyEntry, entryIn, fixedAt, placeOf, reachesBrowser } from '../legend/entry.js'
export { entriesOf, heldTo, stagesOf } from '../legend/legend.js'
export { nearest } from '../legend/nearest.js'
export { SlipIndex } from '../legend/slip-index.js'
export { type WordName, words } from '../legend/words.js'
export {
  type CacheFiles,
  type CacheRecord,
  cacheFiles,
  cacheVersion,
  compiledIn,
  compiledModule,
  isFresh,
  isOwn,
  legendInputs,
} from '../node/compiled-legend.js'
export { digestOf } from '../node/digest.js'
export {
  bytesAt,
  fileBytesMax,
  isDirectory,
  lateFault,
  namesIn,
  type ReadOptions,
  readTextFile,
  textAt,
  tooLarge,
} from '../node/files.js'
export { layerFiles } from '../node/layer-order.js'
export {
  failedLegend,
  isTypeScript,
  type LoadedLegend,
  legendFault,
  legendOf,
  loadLegendFile,
  sourceWord,
} from '../node/legend-file.js'
export { type Gathered, gather, gatherAt, gatherWaiting } from '../node/machine.js'
export { childEnvironment, type HandedOn } from '../node/nested.js'
export { gatherPlain, needsMore } from '../node/plain.js'
export { askRemote, checkedTexts, tellRemote } from '../node/remote.js'
export { findRoot, legendAbove, legendFileNames, type Root, type RootSearch, repositoryTop } from '../node/root.js'
export { rightName } from '../node/surroundings.js'
export { tellStart } from '../node/tell.js'
export { watchFiles } from '../node/watch.js'
export { type FileWrite, WriteError, writeFiles } from '../node/write.js'
export { builtStageOf, tagsIn } from '../report/page.js'
export { capitalized, counted, stageLine, tally } from '../report/text.js'
export { originOf } from '../settle/changes.js'
export { unknownStage } from '../settle/explain.js'
export { printable } from '../settle/faults.js'
export { expandIn, type Filling, type HandedValue, handedIn } from '../settle/handing.js'
export { isKeyLine } from '../settle/key-lines.js'
export { isAround, isGeneral } from '../settle/kinds.js'
export { givenIn, readSources } from '../settle/read.js'
export { obtainRemedy } from '../settle/remedies.js'
export { errorName, saidBy, stackOf } from '../settle/said.js'
export { maskFor } from '../settle/secrecy.js'
