import { entriesOf, type Fault, type Layer, type Legend } from 'mappa'
import { layerFiles } from 'mappa/command'

/**
 * Secrets in committed layers. Where made-up ones have their place, in development and test, `# mappa keep: reason` behind the
 * value allows it. `placeOf` says where a layer sets a name, `isCommitted` whether git has its file.
 */
export function sharedSecrets(
  definition: Legend,
  stage: string,
  layers: readonly Layer[],
  placeOf: (layer: Layer, name: string) => Fault['place'],
  isCommitted: (layer: string) => boolean,
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
        const keep = madeUp.has(layer.name) ? ' If it is made up, add after its value: # mappa keep: reason' : ''
        return [
          {
            kind: 'secret-shared',
            name,
            message: `${name} is secret, but ${layer.name} is a shared layer.`,
            layer: layer.name,
            ...(place && { place }),
            remedy: `${isCommitted(layer.name) ? `Rotate it${obtain ? ` (${obtain})` : ''}: git history keeps it.` : 'Move it before you commit.'}${keep} Run: mappa fill ${name}${layer.staged ? ` --stage ${stage}` : ''}`,
          },
        ]
      }),
    )
}
