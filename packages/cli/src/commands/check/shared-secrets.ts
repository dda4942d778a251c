import { entriesOf, type Fault, type Layer, type Legend } from 'mappa'
import { layerFiles } from 'mappa/command'

/**
 * Secrets in committed layers. Where made-up ones have their place, in development and test, `# mappa keep: reason` behind the
 * value allows it. `lineOf` says where a layer sets a name.
 */
export function sharedSecrets(
  definition: Legend,
  stage: string,
  layers: readonly Layer[],
  placeOf: (layer: Layer, name: string) => Fault['place'],
): Fault[] {
  const madeUp = new Set(
    ['development', 'test'].map((stage) => layerFiles(stage).find((file) => file.staged && !file.local)?.name),
  )
  const secrets = Object.entries(entriesOf(definition)).filter(([, { secret }]) => secret)
  return layers
    .filter(({ source, local }) => source === 'file' && !local)
    .flatMap((layer) =>
      secrets.flatMap(([name, { obtain }]): Fault[] => {
        const isAllowed = madeUp.has(layer.name) && layer.isKept?.(name)
        if (!layer.get(name) || isAllowed) return []
        const place = placeOf(layer, name)
        const keep = madeUp.has(layer.name)
          ? ' If it is made up, keep it with the reason after its value: # mappa keep: …'
          : ''
        return [
          {
            kind: 'secret-shared',
            name,
            message: `${name} is secret, and stands in ${layer.name}, which goes wherever the code goes.`,
            layer: layer.name,
            ...(place && { place }),
            remedy: `Move it: mappa fill ${name}${layer.staged ? ` --stage ${stage}` : ''}, and replace it where it was issued${obtain ? ` (${obtain})` : ''}, since history keeps it.${keep}`,
          },
        ]
      }),
    )
}
