// The room of lift, bundled by itself: the command does not export it, and the score and the bench call it directly.
import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { build } from 'esbuild'
import { top } from '../prepare.mjs'

const cache = join(top, 'node_modules/.cache')
const { outputFiles } = await build({
  stdin: {
    contents: "export { findIn } from './lift.ts'; export { parseFile } from '../code/parse.ts'",
    resolveDir: join(top, 'packages/cli/src/lift'),
  },
  bundle: true,
  format: 'esm',
  platform: 'node',
  write: false,
  external: ['@babel/parser', 'yaml', 'magic-string'],
})
const file = join(cache, 'lift-room.mjs')
mkdirSync(cache, { recursive: true })
writeFileSync(file, outputFiles[0].text)

export const { findIn, parseFile } = await import(pathToFileURL(file).href)
