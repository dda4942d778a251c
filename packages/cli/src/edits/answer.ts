import { type Legend, layerFromValues, surveyLayers } from 'mappa'

/** The fault of an answer, as a sentence that does not repeat a secret; undefined if it is right. */
export function wrongAnswer(definition: Legend, stage: string, name: string, text: string): string | undefined {
  if (text.includes('\0')) return 'A value cannot contain a NUL character.'
  const { faults } = surveyLayers(definition, { stage, layers: [layerFromValues('your answer', { [name]: text })] })
  const fault = faults.find((each) => each.name === name && each.kind !== 'legend')
  if (!fault) return undefined
  const { remedy } = fault
  const message = fault.message.replace(' in your answer', '')
  return remedy && !remedy.startsWith('Obtain:') && !message.includes(remedy) ? `${message} ${remedy}` : message
}
