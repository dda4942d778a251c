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
export { nearest } from '../legend/text/nearest.js'
export { SlipIndex } from '../legend/text/slip-index.js'
export { type WordName, words } from '../legend/words.js'
export { digestOf } from '../node/files/digest.js'
export {
  bytesAt,
  fileBytesMax,
  isDirectory,
  namesIn,
  type ReadOptions,
  readTextFile,
  textAt,
} from '../node/files/files.js'
export {
  findRoot,
  legendAbove,
  legendFileNames,
  type Root,
  type RootSearch,
  repositoryTop,
} from '../node/files/root.js'
export { pathFrom } from '../node/files/shown-path.js'
export { lateFault, oddText, tooLarge, unopened } from '../node/files/unreadable.js'
export { type FileWrite, WriteError, writeFiles } from '../node/files/write.js'
export { layerFiles } from '../node/layers/layer-order.js'
export { childEnvironment, type HandedOn } from '../node/layers/nested.js'
// What the preload asks for when a start fails.
export { otherReader } from '../node/layers/other-reader.js'
export { gatherPlain, needsMore } from '../node/layers/plain.js'
export { missingRoot, nestedStage, unnamedStage } from '../node/layers/start-faults.js'
export { rightName } from '../node/layers/surroundings.js'
export {
  type CacheFiles,
  type CacheRecord,
  compiledIn,
  compiledModule,
  freshCopy,
  legendInputs,
} from '../node/legends/compiled-legend.js'
export { keepCopy, replaceFile } from '../node/legends/keep-copy.js'
export {
  failedLegend,
  legendFault,
  notRead,
  staleLegend,
  unreadLegend,
  untypedNode,
  withoutLegend,
} from '../node/legends/legend-faults.js'
export {
  isTypeScript,
  type LoadedLegend,
  legendOf,
  loadLegendFile,
  sourceWord,
} from '../node/legends/legend-file.js'
export { type Gathered, gather, gatherAt, gatherWaiting } from '../node/machine.js'
export { askRemote, checkedTexts, tellRemote } from '../node/remotes/remote.js'
export { tellStart } from '../node/tell.js'
export { watchFiles } from '../node/watch.js'
export { builtStageOf, tagsIn } from '../report/page.js'
export { capitalized, counted, stageLine, tally } from '../report/text.js'
export { originOf } from '../settle/changes.js'
export { unknownStage } from '../settle/explain/explain.js'
export { obtainRemedy } from '../settle/explain/remedies.js'
export { printable } from '../settle/faults/faults.js'
export { isAround, isGeneral } from '../settle/faults/kinds.js'
export { expandIn, type Filling, type HandedValue, handedIn } from '../settle/handing.js'
export { givenIn, readSources } from '../settle/reading/read.js'
export { maskFor } from '../settle/reading/secrecy.js'
export { isKeyLine } from '../settle/stack/key-lines.js'
export { errorName, saidBy, stackOf } from '../settle/value/said.js'
