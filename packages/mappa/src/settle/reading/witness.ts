/** What `mappa witness` puts into the programs that it watches. */
export interface Witness {
  /** The process environment as it is: what the library reads of it is not asked for by the program. */
  readonly environment: Record<string, string | undefined>
  /** Called for settings that are made; what it gives is called when one is read, with its getter. */
  settled(
    stage: string,
  ): (name: string, text: string | undefined, from: string, isCovered: boolean, getter: () => unknown) => void
  /** Called by the preload with the names that it has set. */
  preloaded(stage: string, names: readonly string[]): void
}

/** The witness of this program, if it is watched. */
export function witness(): Witness | undefined {
  return (globalThis as { [key: symbol]: Witness | undefined })[Symbol.for('mappa.witness')]
}
