import { type AnyEntry, entriesOf, type Legend } from 'mappa'

const delimiterOf = ({ delimiter = ',' }: AnyEntry) => delimiter

/** The items of a list as a layer writes them; undefined if the variable is not one. */
export function itemsIn(definition: Legend, name: string, text: string): readonly string[] | undefined {
  const entry = entriesOf(definition)[name]
  if (entry?.type !== 'array') return undefined
  return text
    .split(delimiterOf(entry))
    .map((item) => item.trim())
    .filter((item) => item !== '')
}

/** Items as a layer writes them. */
export function itemsText(definition: Legend, name: string, items: readonly string[]): string {
  const entry = entriesOf(definition)[name]
  return items.join(entry ? delimiterOf(entry) : ',')
}
