/** A function that is behind another door: calling it says which, already where it is compiled. */
type Elsewhere<Name extends string> = (
  wrongDoor: `Import ${Name} from 'mappa/node'`,
  ...given: readonly never[]
) => never

/**
 * The verbs of `mappa/node`, as everyone tries first to import them from `mappa`.
 * @deprecated Import it from `mappa/node`; over given layers: `settleLayers`.
 * @throws {TypeError} always.
 */
export const settle: Elsewhere<'settle'> = inNode('settle', 'settleLayers')
/** @deprecated Import it from `mappa/node`. */
export const settleAsync: Elsewhere<'settleAsync'> = inNode('settleAsync', 'surveyLayersAsync')
/** @deprecated Import it from `mappa/node`; over given layers: `surveyLayers`. */
export const survey: Elsewhere<'survey'> = inNode('survey', 'surveyLayers')
/** @deprecated Import it from `mappa/node`; over given layers: `surveyLayersAsync`. */
export const surveyAsync: Elsewhere<'surveyAsync'> = inNode('surveyAsync', 'surveyLayersAsync')
/** @deprecated Import it from `mappa/node`. */
export const watch: Elsewhere<'watch'> = inNode('watch')
/** @deprecated Import it from `mappa/node`. */
export const watchAsync: Elsewhere<'watchAsync'> = inNode('watchAsync')

function inNode<Name extends string>(name: Name, over?: string): Elsewhere<Name> {
  return () => {
    const layers = over === undefined ? '' : ` For layers of your own, use ${over} from 'mappa'.`
    throw new TypeError(
      `${name} needs this machine's layers, but 'mappa' cannot read them. Write: import { ${name} } from 'mappa/node'.${layers}`,
    )
  }
}
