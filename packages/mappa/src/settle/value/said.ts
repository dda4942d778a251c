/** A thrown or given value as text: of an error its message. Never throws. */
export function saidBy(thrown: unknown): string {
  try {
    const text: unknown = isError(thrown) ? thrown.message : String(thrown)
    return typeof text === 'string' ? text : 'something that is not text'
  } catch {
    return 'something that cannot be printed'
  }
}

/** Finds where an error comes from, whatever was thrown. Never throws. */
export function stackOf(thrown: unknown): string {
  try {
    const stack: unknown = (thrown as Error | undefined)?.stack
    if (typeof stack === 'string') return stack
  } catch {
    // It says nothing of itself.
  }
  return saidBy(thrown)
}

/** The name of an error's kind, if it says one. Never throws. */
export function errorName(thrown: unknown): string | undefined {
  try {
    return isError(thrown) && /^[A-Za-z]{1,60}$/.test(thrown.name) ? thrown.name : undefined
  } catch {
    return undefined
  }
}

/** Errors of another realm are errors, too. */
function isError(thrown: unknown): thrown is Error {
  return thrown instanceof Error || Object.prototype.toString.call(thrown) === '[object Error]'
}
