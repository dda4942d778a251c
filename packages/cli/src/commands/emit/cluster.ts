import type { DeliveredValue } from 'mappa/command'
import type { OutputOptions } from './emit-form.js'

/** A cluster takes no larger object. Bytes of its keys and values. */
export const objectBytesMax = 1024 * 1024

/**
 * A ConfigMap of what may be seen and a Secret of the rest, each only if it holds something. Their data are texts, so that
 * numbers are in quotes.
 */
export async function clusterManifests(
  values: readonly DeliveredValue[],
  { name, namespace, stage }: OutputOptions,
): Promise<string> {
  const { inQuotes, yamlOf } = await import('../../delivery/yaml-text.js')
  const metadata = { name, namespace, labels: { stage } }
  const texts = (isHidden: boolean) => {
    const held = values.filter(({ hidden }) => hidden === isHidden)
    return held.length > 0 && Object.fromEntries(held.map((each) => [each.name, inQuotes(each.text)]))
  }
  const [data, stringData] = [texts(false), texts(true)]
  const objects = [
    data && { apiVersion: 'v1', kind: 'ConfigMap', metadata, data },
    stringData && { apiVersion: 'v1', kind: 'Secret', metadata, type: 'Opaque', stringData },
  ]
  return objects.flatMap((each) => (each ? [yamlOf(each)] : [])).join('---\n')
}

/** Why an object cannot have a name (RFC 1123, as clusters apply it); undefined if it can. */
export function wrongObjectName(name: string): string | undefined {
  return name.length <= 253 && /^[a-z0-9](?:[a-z0-9-]*[a-z0-9])?(?:\.[a-z0-9](?:[a-z0-9-]*[a-z0-9])?)*$/.test(name)
    ? undefined
    : 'A cluster name has at most 253 lower-case letters, digits, hyphens and dots.'
}

/** The objects that would be too large, by their kinds. */
export function tooLargeObjects(values: readonly DeliveredValue[]): string[] {
  const size = (held: readonly DeliveredValue[]) =>
    held.reduce((sum, { name, text }) => sum + name.length + Buffer.byteLength(text), 0)
  return [
    ...(size(values.filter(({ hidden }) => !hidden)) > objectBytesMax ? ['ConfigMap'] : []),
    ...(size(values.filter(({ hidden }) => hidden)) > objectBytesMax ? ['Secret'] : []),
  ]
}
