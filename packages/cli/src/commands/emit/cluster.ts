import type { HandedValue } from 'mappa/command'
import { quotedYaml, yamlText } from '../../handing/yaml-text.js'
import type { EmitTraits } from './emit-form.js'

/** A cluster takes no larger object. Bytes of its keys and values. */
export const objectBytesMax = 1024 * 1024

/**
 * A ConfigMap of what may be seen and a Secret of the rest, each only if it holds something. Their data are texts, so that
 * numbers stand in quotes.
 */
export function clusterManifests(values: readonly HandedValue[], { name, namespace, stage }: EmitTraits): string {
  const object = (kind: string, lines: readonly string[], held: readonly HandedValue[]) =>
    held.length === 0
      ? []
      : [
          [
            'apiVersion: v1',
            `kind: ${kind}`,
            'metadata:',
            `  name: ${yamlText(name)}`,
            ...(namespace === undefined ? [] : [`  namespace: ${yamlText(namespace)}`]),
            '  labels:',
            `    stage: ${yamlText(stage)}`,
            ...lines,
            ...held.map((value) => `  ${yamlText(value.name)}: ${quotedYaml(value.text)}`),
          ].join('\n'),
        ]
  const [open, hidden] = [values.filter((each) => !each.hidden), values.filter((each) => each.hidden)]
  const objects = [
    ...object('ConfigMap', ['data:'], open),
    ...object('Secret', ['type: Opaque', 'stringData:'], hidden),
  ]
  return objects.length === 0 ? '' : `${objects.join('\n---\n')}\n`
}

/** What is wrong with the name of an object; undefined if nothing is. RFC 1123, as clusters hold to it. */
export function wrongObjectName(name: string): string | undefined {
  return name.length <= 253 && /^[a-z0-9](?:[a-z0-9-]*[a-z0-9])?(?:\.[a-z0-9](?:[a-z0-9-]*[a-z0-9])?)*$/.test(name)
    ? undefined
    : "A cluster's names are small letters, digits, hyphens and dots, at most 253."
}

/** The objects that would be too large, by their kinds. */
export function tooLargeObjects(values: readonly HandedValue[]): string[] {
  const size = (held: readonly HandedValue[]) =>
    held.reduce((sum, { name, text }) => sum + name.length + Buffer.byteLength(text), 0)
  return [
    ...(size(values.filter(({ hidden }) => !hidden)) > objectBytesMax ? ['ConfigMap'] : []),
    ...(size(values.filter(({ hidden }) => hidden)) > objectBytesMax ? ['Secret'] : []),
  ]
}
