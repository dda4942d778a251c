/** Typed and frozen; a start with faults ends here, before anything else has happened. */
export { default as settings } from 'virtual:mappa/settings'
