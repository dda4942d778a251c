import { type Fault, printable } from '../../settle/faults/faults.js'
import type { Stage } from '../../settle/stack/stage.js'
import { fs } from '../files/builtins.js'
import { layerFilesAbove } from '../files/root.js'

/** A bare container must not run as development unnoticed. */
export function unnamedStage(root: string): Fault {
  const [above] = layerFilesAbove(root)
  const more = above === undefined ? '' : ` ${printable(above)} lies above, and is not read.`
  return {
    kind: 'no-layers',
    message: `No stage was named and there is no layer file in ${printable(root)}, so development is not assumed.${more}`,
    remedy: 'Name the stage: MAPPA_STAGE=production (or create the file .env).',
  }
}

/** A root that is none. */
export function missingRoot(root: string): Fault | undefined {
  const stats = fs.statSync(root, { throwIfNoEntry: false })
  if (stats?.isDirectory()) return undefined
  return {
    kind: 'unreadable',
    message: `The root must be a directory, and ${root} is ${stats ? 'a file' : 'not there'}.`,
    remedy: 'Correct --root, MAPPA_ROOT or the option root.',
  }
}

/** A run inside another one must be for the same stage: half of its values would be the other's. */
export function nestedStage(stage: Stage, outer: string): Fault {
  return {
    kind: 'nested-stage',
    message: `This should run for stage ${stage.name}, but it is inside a run for stage ${outer}, whose values are in its environment.`,
    remedy: `Start it outside, or name the same stage in both.`,
  }
}
