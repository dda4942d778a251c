// How well settings are found in examples/before: recall, precision, and what was missed or found in vain.
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { top } from '../prepare.mjs'
import { findIn } from './room.mjs'

const before = join(top, 'examples/before')

const files = readdirSync(before, { recursive: true, encoding: 'utf8' })
  .filter((path) => /\.(?:c?js|html|yaml)$|^package\.json$/.test(path))
  .sort()
  .map((path) => ({ path, text: readFileSync(join(before, path), 'utf8') }))
const expected = Object.entries(JSON.parse(readFileSync(join(before, 'expected.json'), 'utf8'))).flatMap(
  ([path, values]) => values.map((value) => `${path}: ${value}`),
)
const { candidates } = findIn(files, [])
// What has low confidence is only listed.
const sure = candidates.filter(({ confidence }) => confidence !== 'low')
const found = new Set(
  sure.flatMap(({ sites }) => sites.map(({ path, value, variable }) => `${path}: ${value ?? variable.name}`)),
)
const right = expected.filter((each) => found.has(each))
const percent = (part, whole) => `${((100 * part) / whole).toFixed(0)} % (${part} of ${whole})`
console.log(`Recall ${percent(right.length, expected.length)}, precision ${percent(right.length, found.size)}`)
for (const each of expected.filter((each) => !found.has(each))) console.log(`  missed: ${JSON.stringify(each)}`)
for (const each of found) if (!expected.includes(each)) console.log(`  in vain: ${JSON.stringify(each)}`)
if (process.argv.includes('--all'))
  for (const { name, kind, secret, reach, confidence, reason, sites } of candidates)
    console.log(
      `${name} ${kind}${secret ? ' secret' : ''} ${reach} ${confidence}: ${reason} ${sites.map(({ path, start }) => `${path}@${start}`).join(' ')}`,
    )
