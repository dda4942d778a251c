// The documents of what is printed as JSON.
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { Ajv2020 } from 'ajv/dist/2020.js'
import { top } from '../../../test/helpers.js'

const folder = join(top, 'docs/json')
export const documents = readdirSync(folder).map((name) => name.replace('.schema.json', ''))

const ajv = new Ajv2020({ allErrors: true, allowUnionTypes: true })
for (const name of documents)
  ajv.addSchema(closed(JSON.parse(readFileSync(join(folder, `${name}.schema.json`), 'utf8'))) as object)

/** What of some data is not as its document says; undefined if nothing is. */
export function unlikeDocument(name: string, data: unknown): string | undefined {
  const validate = ajv.getSchema(`${name}.schema.json`)
  return validate?.(data) ? undefined : JSON.stringify(validate?.errors ?? 'there is no such document', null, 2)
}

/** Its members and no others, so that the documents leave none out. Those for people let members be added. */
function closed(schema: unknown): unknown {
  if (Array.isArray(schema)) return schema.map(closed)
  if (typeof schema !== 'object' || schema === null) return schema
  const copy = Object.fromEntries(Object.entries(schema).map(([word, value]) => [word, closed(value)]))
  const isClosed = copy.type === 'object' && copy.properties && copy.additionalProperties === undefined
  return isClosed ? { ...copy, additionalProperties: false } : copy
}
