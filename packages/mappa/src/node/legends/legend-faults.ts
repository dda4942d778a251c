import { withoutCredentials } from '../../leak/credentials.js'
import type { Fault } from '../../settle/faults/faults.js'
import { errorName, saidBy } from '../../settle/value/said.js'

/** Why a legend's file gave none. */
export interface NoLegend {
  readonly fault: Fault
  /** The thrown value, if any. */
  readonly cause?: unknown
}

/** A legend in TypeScript that this version of Node cannot load. */
export function untypedNode(name: string, emittedName: string): NoLegend {
  return {
    fault: legendFault(
      name,
      `${name} is TypeScript${name.endsWith('.cts') ? ' in CommonJS' : ''}, but Node ${process.versions.node} cannot load that.`,
      `Compile it on this machine, or write it as JSON for others. Run: mappa check Run: mappa emit --as legend > ${emittedName}`,
    ),
  }
}

/** A legend in JSON whose source has changed since it was made from that. */
export function staleLegend(emittedName: string, name: string): NoLegend {
  return {
    fault: legendFault(
      emittedName,
      `${emittedName} is stale: ${name} has changed since it was made.`,
      `Run: mappa emit --as legend > ${emittedName}`,
    ),
  }
}

/** A module that exports something else. */
export function withoutLegend(name: string): NoLegend {
  return {
    fault: legendFault(
      name,
      `${name} must export a legend as its default export.`,
      'Write: export default legend({ … })',
    ),
  }
}

/** A file that cannot be read as text. */
export function unreadLegend(fault: Fault): NoLegend {
  return { fault: { ...fault, kind: 'legend' } }
}

/** A module that threw or did not parse. Its own message is the best there is, and is the project's own text. */
export function failedLegend(name: string, cause: unknown): NoLegend {
  if ((cause as NodeJS.ErrnoException)?.code === 'ERR_REQUIRE_ASYNC_MODULE')
    return {
      cause,
      fault: legendFault(
        name,
        `${name} uses await, but a legend must be plain data.`,
        'Remove the await from it and from its imports.',
      ),
    }
  const kind = errorName(cause)
  const said =
    kind === undefined ? 'something that is not an Error was thrown' : `${kind}: ${withoutCredentials(saidBy(cause))}`
  return {
    cause,
    fault: legendFault(
      name,
      `${name} cannot be loaded: ${firstLine(said)}`,
      'Correct the legend. --debug shows where it failed.',
    ),
  }
}

/** No file is there. */
export function notRead(name: string): NoLegend {
  return { fault: legendFault(name, `${name} is not a readable file.`, 'Write the legend there.') }
}

/** A fault of a legend as a whole. */
export function legendFault(name: string, message: string, remedy: string): Fault {
  return { kind: 'legend', message, layer: name, remedy }
}

function firstLine(text: string): string {
  return text.split('\n', 1)[0] as string
}
