import { parseExpression } from '@babel/parser'
import { isMap, isScalar, isSeq, parseDocument } from 'yaml'
import type { Node, SourceFile } from '../code/parse.js'
import { isTestFile } from '../code/test-files.js'

const folders = /(?:^|\/)(?:conf|configs?|configuration|settings|environments?|secrets?)\/[^/]+\.(?:json|ya?ml)$/i
const names =
  /(?:^|\/)(?:config|configuration|settings|secrets?|credentials|keys|app-?settings|application|default|production|development|staging|service-?account)(?:[-.][\w-]+)*\.(?:json|ya?ml)$/i
/** Configuration of other things than the application: editors, pipelines, clusters, and texts in other languages. */
const others = /(?:^|\/)(?:\.[^/]+|locales?|i18n|lang|languages|translations|k8s|kubernetes|helm|charts|schemas?)\//i

/** Tells whether a file holds what the application's own code reads as its configuration. */
export function isConfigFile(path: string): boolean {
  return (folders.test(path) || names.test(path)) && !others.test(path) && !isTestFile(path)
}

/** A configuration file as the syntax tree of an object, with the file's offsets; undefined if it cannot be parsed. */
export function configTree({ path, text }: SourceFile): Node | undefined {
  try {
    if (path.endsWith('.json')) return parseExpression(text) as unknown as Node
    const document = parseDocument(text, { keepSourceTokens: true })
    return document.errors.length > 0 ? undefined : yamlNode(document.contents)
  } catch {
    // Its own reader reports the error.
    return undefined
  }
}

/** A value of YAML as code would write it. */
function yamlNode(value: unknown): Node | undefined {
  const range = (value as { readonly range?: readonly number[] } | null)?.range ?? [0, 0]
  const [start = 0, end = 0] = range
  if (isMap(value)) {
    const properties = value.items.flatMap(({ key, value: held }) => {
      const own = yamlNode(key)
      const inner = yamlNode(held)
      return own && inner ? [{ type: 'ObjectProperty', start: own.start, end: inner.end, key: own, value: inner }] : []
    })
    return { type: 'ObjectExpression', start, end, properties }
  }
  if (isSeq(value))
    return { type: 'ArrayExpression', start, end, elements: value.items.flatMap((each) => yamlNode(each) ?? []) }
  if (!isScalar(value)) return undefined
  const { value: own } = value
  const kinds: Readonly<Record<string, string>> = {
    string: 'StringLiteral',
    number: 'NumericLiteral',
    boolean: 'BooleanLiteral',
  }
  const type = kinds[typeof own]
  return type === undefined ? undefined : { type, start, end, value: own }
}
