/** Items under what they have in common, in their order; those without it are left out. (`Map.groupBy` came with Node 21.) */
export function grouped<Key, Item>(items: Iterable<Item>, keyOf: (item: Item) => Key | undefined): Map<Key, Item[]> {
  const groups = new Map<Key, Item[]>()
  for (const item of items) {
    const key = keyOf(item)
    if (key === undefined) continue
    const group = groups.get(key)
    if (group) group.push(item)
    else groups.set(key, [item])
  }
  return groups
}
