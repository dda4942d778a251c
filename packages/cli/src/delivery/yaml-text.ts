import { Document, Scalar, visit } from 'yaml'
import { escapedCharacter } from '../terminal/escapes.js'

/**
 * Data as YAML that every version and reader takes for just that: texts as they are, or in double quotes. With `onOneLine`,
 * what lies in the data's own values stands on one line, its texts in quotes.
 */
export function yamlOf(data: unknown, { onOneLine = false }: { readonly onOneLine?: boolean } = {}): string {
  const document = new Document(data, { compat: 'yaml-1.1', aliasDuplicateObjects: false })
  // The path to what lies in a value: document, table, pair.
  const isInside = (path: readonly unknown[]) => onOneLine && path.length > 3
  visit(document, {
    Collection(_, node, path) {
      node.flow = onOneLine && path.length === 3
    },
    Scalar(_, node, path) {
      if (typeof node.value !== 'string' || node.type !== undefined) return
      node.type = !isInside(path) && plainScalar.test(node.value) ? Scalar.PLAIN : Scalar.QUOTE_DOUBLE
    },
  })
  const text = document.toString({ lineWidth: 0, doubleQuotedAsJSON: true, flowCollectionPadding: false })
  // YAML 1.2.2, section 5.1: these characters must be escaped, and JSON does not.
  return text.replace(/[\u007f-\u009f\u2028\u2029\ufeff\ufffe\uffff]/g, escapedCharacter)
}

/** A text in double quotes, for {@link yamlOf}. */
export function inQuotes(text: string): Scalar<string> {
  const scalar = new Scalar(text)
  scalar.type = Scalar.QUOTE_DOUBLE
  return scalar
}

/** A text as a scalar of YAML: as it is where it may be, or in double quotes. */
export function yamlText(text: string, { isQuoted = false }: { readonly isQuoted?: boolean } = {}): string {
  return yamlOf(isQuoted ? inQuotes(text) : text).slice(0, -1)
}

/** Signs that begin nothing, divide nothing, and end nothing, whatever reads them; `E4` and `NaN` are numbers to some. */
const plainScalar = /^(?![eE][0-9]|(?:nan|inf|infinity)$)[A-Za-z](?:[A-Za-z0-9_./:@-]*[A-Za-z0-9_/])?$/i
