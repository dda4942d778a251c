import { settle } from 'mappa/node'
import definition from '../mappa.legend.js'

/** Typed and frozen; a start with faults ends here, before anything else has happened. */
export const settings = settle(definition, { from: import.meta.url })
