import { type Fault, printable } from '../../settle/faults/faults.js'
import type { Stage } from '../../settle/stack/stage.js'
import { fs } from '../files/builtins.js'
import { layerFilesAbove } from '../files/root.js'

/** A bare container must not run as development unnoticed. */
export function unnamedStage(root: string): Fault {
  const [above] = layerFilesAbove(root)
  const more = above === undefined ? '' : ` ${printable(above)} is above it, so Mappa does not read it.`
  return {
    kind: 'no-layers',
    message: `No stage is named, and ${printable(root)} has no layer file.${more}`,
    remedy: 'Name the stage, as in MAPPA_STAGE=production, or create the file .env.',
  }
}

/** A root that is not one. */
export function missingRoot(root: string): Fault | undefined {
  const stats = fs.statSync(root, { throwIfNoEntry: false })
  if (stats?.isDirectory()) return undefined
  return {
    kind: 'unreadable',
    message: `The root must be a directory, but ${root} ${stats ? 'is a file' : 'does not exist'}.`,
    remedy: 'Correct --root, MAPPA_ROOT or the option root.',
  }
}

/** A run inside another one must be for the same stage: half of its values would be the other's. */
export function nestedStage(stage: Stage, outer: string): Fault {
  return {
    kind: 'nested-stage',
    message: `This asks for stage ${stage.name}, but runs inside stage ${outer} and has its values.`,
    remedy: 'Start it outside, or name the same stage in both.',
  }
}
