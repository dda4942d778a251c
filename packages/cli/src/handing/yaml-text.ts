/** A text as a scalar of YAML that every version and reader takes for this text: as it is, or in double quotes. */
export function yamlText(text: string, { inFlow = false }: { readonly inFlow?: boolean } = {}): string {
  return !inFlow && plainScalar.test(text) && !otherThanText.test(text) ? text : quotedYaml(text)
}

/** Signs that begin nothing, divide nothing, and end nothing. */
const plainScalar = /^[A-Za-z](?:[A-Za-z0-9_./:@-]*[A-Za-z0-9_/])?$/

/** What version 1.1 or 1.2 takes for a switch or for nothing. */
const otherThanText = /^(?:true|false|yes|no|on|off|y|n|null)$/i

/** In double quotes; YAML 1.2.2, section 5.1, says which signs have to be escapedSign. */
export function quotedYaml(text: string): string {
  return JSON.stringify(text).replace(/[\u007f-\u009f\u2028\u2029\ufeff\ufffe\uffff]/g, escapedSign)
}

function escapedSign(sign: string): string {
  return `\\u${sign.charCodeAt(0).toString(16).padStart(4, '0')}`
}
