import { entriesOf, type Legend } from 'mappa'

/** The names that a legend knows: its entries, and `NAME_FILE` of each that a file may hold in a stage. */
export function namesWithFiles(definition: Legend | undefined): readonly string[] {
  return Object.entries(entriesOf(definition)).flatMap(([name, entry]) => {
    const { file, stages = {} } = entry as { file?: boolean; stages?: Readonly<Record<string, { file?: boolean }>> }
    const mayBeFile = file === true || Object.values(stages).some((words) => words.file === true)
    return mayBeFile ? [name, `${name}_FILE`] : [name]
  })
}
