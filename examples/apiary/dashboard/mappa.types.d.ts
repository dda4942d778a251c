// Names that browser code may take; their types come from the legend.
declare module 'virtual:mappa/settings' {
  type Entries = typeof import('../mappa.legend.js').default.entries
  type Flat = import('mappa').Settings<{ [Name in keyof Entries]: Omit<Entries[Name], 'as'> }>
  export const COLLECTOR_URL: Flat['COLLECTOR_URL']
  export const TILE_KEY: Flat['TILE_KEY']
  export const STAGE_NOTE: Flat['STAGE_NOTE']
  export const SWARM_DROP_KG: Flat['SWARM_DROP_KG']
}
