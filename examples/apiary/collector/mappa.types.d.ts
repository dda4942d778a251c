declare module 'virtual:mappa/settings' {
  /** Server code takes all settings; their types come from the legend. */
  const settings: import('mappa').Settings<typeof import('../mappa.legend.js').default.entries>
  export default settings
}
