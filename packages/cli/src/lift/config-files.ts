import { parseExpression } from '@babel/parser'
import { isMap, isScalar, isSeq, parseAllDocuments, parseDocument } from 'yaml'
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

/** Files that give programs their environment: images, workflows, manifests of clusters, units. */
const givingNames =
  /(?:^|\/)(?:(?:Dockerfile|Containerfile)(?:\.[\w-]+)?|[\w-]+\.Dockerfile|Procfile|\.gitlab-ci\.ya?ml|[\w@.-]+\.service)$|^\.github\/workflows\/[^/]+\.ya?ml$|(?:^|\/)(?:k8s|kubernetes|helm|charts|manifests|deploy|deployment)\/(?:[^/]+\/)*[^/]+\.ya?ml$/i
/** Configuration in lines of names and values. */
const lined =
  /(?:^|\/)(?:[\w.-]+\.properties|(?:config|settings|app|application|secrets?|credentials|database|server|local|production|development|staging)(?:[-.][\w-]+)*\.(?:toml|ini|cfg|conf))$/i

/** Tells whether a file gives programs values, in a form that lift does not change. */
export function isGivingFile(path: string): boolean {
  return (givingNames.test(path) || lined.test(path)) && !isTestFile(path)
}

/** What a file that gives values says, as the syntax tree of an object or a list of these. */
export function givingTree({ path, text }: SourceFile): Node | undefined {
  if (!/\.ya?ml$/.test(path)) return linedTree(path, text)
  try {
    const documents = parseAllDocuments(text, { keepSourceTokens: true })
    const all = 'empty' in documents ? [] : documents.filter(({ errors }) => errors.length === 0)
    return {
      type: 'ArrayExpression',
      start: 0,
      end: text.length,
      elements: all.flatMap(({ contents }) => environmentsIn(contents)),
    }
  } catch {
    return undefined
  }
}

/** The values of `env`, `environment` and `variables`, wherever they are. */
function environmentsIn(value: unknown): Node[] {
  if (isSeq(value)) return value.items.flatMap(environmentsIn)
  if (!isMap(value)) return []
  return value.items.flatMap(({ key, value: held }) => {
    const name = isScalar(key) ? String(key.value) : ''
    const own = /^(?:env|environment|variables)$/.test(name) ? yamlNode(held) : undefined
    return own ? [own] : environmentsIn(held)
  })
}

/** `NAME=value` in the lines of an image, a unit, properties and the like. */
function linedTree(path: string, text: string): Node {
  const isImage = /(?:Docker|Container)file/i.test(path)
  const isUnit = path.endsWith('.service')
  const line = isImage
    ? /^[ \t]*(?:ENV|ARG)[ \t]+(.+)$/gim
    : isUnit
      ? /^[ \t]*Environment=(.+)$/gm
      : path.endsWith('Procfile')
        ? /^\w+:[ \t]*(.+)$/gm
        : /^[ \t]*([\w.-]+[ \t]*[=:].*)$/gm
  const pair =
    isImage || isUnit || path.endsWith('Procfile')
      ? /(?:^|\s|")([A-Za-z_]\w*)(?:=|\s+(?=\S+$))("[^"\n]*"|'[^'\n]*'|[^\s"]+)/g
      : /^([\w.-]+)[ \t]*[=:][ \t]*("[^"\n]*"|'[^'\n]*'|[^\n#;]*)/g
  const properties = [...text.matchAll(line)].flatMap((found) => {
    const at = (found.index ?? 0) + found[0].length - (found[1] ?? '').length
    return [...(found[1] ?? '').matchAll(pair)].map(([all, name = '', given = ''], index, every) => {
      const start = at + (every[index]?.index ?? 0) + all.length - given.length
      const value = given.trim().replace(/^(["'])(.*)\1$/, '$2')
      const key = { type: 'StringLiteral', start, end: start, value: name.replace(/^.*\./, '') }
      return {
        type: 'ObjectProperty',
        start,
        end: start + given.length,
        key,
        value: { type: 'StringLiteral', start, end: start + given.length, value },
      }
    })
  })
  return { type: 'ObjectExpression', start: 0, end: text.length, properties }
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
