/** Puts a function in the place of another, which looks the same. */
export function inPlaceOf<Name extends string>(owner: { [name in Name]?: unknown }, name: Name, fresh: unknown): void {
  const before = Object.getOwnPropertyDescriptor(owner, name)
  if (!before) return
  const { name: called, length } = before.value as { name: string; length: number }
  Object.defineProperty(fresh, 'name', { value: called, configurable: true })
  Object.defineProperty(fresh, 'length', { value: length, configurable: true })
  Object.defineProperty(owner, name, { ...before, value: fresh })
}
