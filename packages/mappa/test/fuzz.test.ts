// A short run of `npm run fuzz`, from another seed each time; a failure prints the seed and the smallest case.
import test from 'node:test'
import { fuzz } from '../../../scripts/fuzz.mjs'

// More of them are in npm run field.
test('whatever layers, edits, legends and answers are: nothing throws, nothing is lost, no secret is told', async () => {
  await fuzz({ seed: Math.floor(Math.random() * 2 ** 31), runs: 300 })
})
