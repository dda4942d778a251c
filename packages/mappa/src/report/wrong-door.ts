/** A function that stands behind another door: calling it says which. */
type Elsewhere = (...given: readonly unknown[]) => never

/**
 * The verbs of `mappa/node`, as everyone tries first to import them from `mappa`.
 * @deprecated Import it from `mappa/node`; over given layers: `settleLayers`.
 * @throws {TypeError} always.
 */
export const settle: Elsewhere = inNode('settle', 'settleLayers')
/** @deprecated Import it from `mappa/node`. */
export const settleAsync: Elsewhere = inNode('settleAsync', 'surveyLayersAsync')
/** @deprecated Import it from `mappa/node`; over given layers: `surveyLayers`. */
export const survey: Elsewhere = inNode('survey', 'surveyLayers')
/** @deprecated Import it from `mappa/node`; over given layers: `surveyLayersAsync`. */
export const surveyAsync: Elsewhere = inNode('surveyAsync', 'surveyLayersAsync')
/** @deprecated Import it from `mappa/node`. */
export const watch: Elsewhere = inNode('watch')
/** @deprecated Import it from `mappa/node`. */
export const watchAsync: Elsewhere = inNode('watchAsync')

function inNode(name: string, over?: string): Elsewhere {
  return () => {
    const layers = over === undefined ? '' : ` For layers of your own, use ${over} from 'mappa'.`
    throw new TypeError(
      `${name} needs this machine's layers, but 'mappa' has none. Write: import { ${name} } from 'mappa/node'.${layers}`,
    )
  }
}
