/**
 * What the preload loads only once it is needed: the sources that few legends name, and the words of a start that fails. A file of
 * its own, which no package can import.
 */

export { lateFault, oddText, tooLarge, unopened } from './node/files/unreadable.js'
export { otherReader } from './node/layers/other-reader.js'
export { missingRoot, nestedStage, unnamedStage } from './node/layers/start-faults.js'
export {
  failedLegend,
  legendFault,
  notRead,
  staleLegend,
  unreadLegend,
  untypedNode,
  withoutLegend,
} from './node/legends/legend-faults.js'
export { gatherAt } from './node/machine.js'
export { tellStart, tellUnwatched } from './node/tell.js'
