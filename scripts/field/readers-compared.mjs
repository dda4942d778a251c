// Generated layer files, read by Mappa and by each other reader: what Mappa says of a reader is what that does, and no difference is left
// without a word where that reader is used.
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { build } from 'esbuild'
import fc from 'fast-check'
import { top } from '../prepare.mjs'
import { readers } from './readers.mjs'

const signs = [
  ...'ab1\t \'"\\$#;&|<>(){}`~*=:!?-\n',
  '${HIVE_A:-x}',
  '${HIVE_A}',
  '${HIVE_C}',
  '$HIVE_A',
  '\\$',
  '\r\n',
  '\nHIVE_B=',
  '\nexport HIVE_C=',
  ' #',
  '\\n',
  'é',
  '\n# ',
]
const value = fc.array(fc.oneof(fc.constantFrom(...signs), fc.stringMatching(/^[a-z0-9./:@_-]{1,6}$/)), {
  maxLength: 8,
})
const quoted = fc
  .tuple(fc.constantFrom('', '', "'", '"'), value)
  .map(([quote, parts]) => `${quote}${parts.join('')}${quote}`)
const file = fc
  .tuple(
    fc.constantFrom('', '', '', 'export ', ' ', '\n', '# x\n', '\ufeff'),
    fc.constantFrom('1', 'meadow', '"two words"', "'p#s'"),
    quoted,
    fc.constantFrom(
      '',
      '\n',
      '\nHIVE_C=3\n',
      '\nexport HIVE_C=${HIVE_B}\n',
      '\nHIVE_D=$HIVE_A/${HIVE_C}\nHIVE_C=brook\n',
    ),
  )
  .map(([lead, first, second, rest]) => `${lead}HIVE_A=${first}\nHIVE_B=${second}${rest}`)

/** Layer files made at random; those with `isPlain` have no word in front of a name, which some readers refuse. */
export function layerFiles(count, seed, isPlain = false) {
  const texts = fc.sample(file, { numRuns: count, seed })
  return isPlain ? texts.map((text) => text.replace(/export |^ /g, '')) : texts
}

/** What Mappa has to say, from the sources: the models and their comparison are inside the command. */
export async function ownSide() {
  const folder = mkdtempSync(join(tmpdir(), 'mappa-own-'))
  const entry = join(folder, 'entry.ts')
  const room = JSON.stringify(join(top, 'packages/cli/src/starts/readers'))
  writeFileSync(
    entry,
    `export { readDifferences } from ${room.replace(/"$/, '/differences.ts"')}
    export { layerReaders } from ${room.replace(/"$/, '/readers.ts"')}`,
  )
  mkdirSync(join(top, '.scratch'), { recursive: true })
  const outfile = join(top, '.scratch/readers.mjs')
  await build({
    entryPoints: [entry],
    bundle: true,
    format: 'esm',
    platform: 'node',
    outfile,
    external: ['mappa', 'mappa/command'],
  })
  rmSync(folder, { recursive: true })
  return import(`${pathToFileURL(outfile).href}?${Date.now()}`)
}

/** Mappa's reading of a text alone, and the names of which it already says that others may read them differently. */
export function ownReading({ layerFromText, surveyLayers }, text) {
  const found = surveyLayers(undefined, { stage: 'development', layers: [layerFromText('.env', text)] })
  const said = [...found.faults, ...found.notices.filter(({ kind }) => kind === 'read-differently')]
  const faulty = new Set(found.faults.map(({ name }) => name))
  const names = new Set([...found.trails.values()].map(({ name }) => name))
  const ours = new Map([...found.texts].filter(([name]) => !faulty.has(name)))
  return { names, ours, told: new Set(said.map(({ name }) => name)) }
}

/** One reader against Mappa over many files. */
export async function compareReader(name, texts, { mappa, own }) {
  const { model, ask, version = 0 } = readers[name]
  const counts = { files: texts.length, refused: 0, untold: 0, wrong: 0, silent: 0, differing: 0, unnamed: 0 }
  const examples = []
  const answers = await ask(texts)
  for (const [at, text] of texts.entries()) {
    const answer = answers[at]
    const read = own.layerReaders[model].versions[version]
    const { values, refusedAt } = read(text, new Map())
    const { names, ours, told } = ownReading(mappa, text)
    const isSilent = told.size === 0
    if (isSilent) counts.silent++
    if (answer === null) {
      counts.refused++
      // A value without end, and a text that no shell can source, are not told by the model.
      if (refusedAt === undefined && ![...values.values()].includes(undefined)) miss('wrong', text, values, answer)
      if (isSilent && refusedAt === undefined && ![...values.values()].includes(undefined)) counts.unnamed++
      continue
    }
    const isOpen = [...values.values()].includes(undefined)
    const valid = Object.entries(answer).filter(([each]) => /^HIVE_\w*$/i.test(each))
    if (isOpen) counts.untold++
    else {
      const modelled = [...values].filter(([each]) => /^HIVE_\w*$/i.test(each))
      if (refusedAt !== undefined || !isSame(modelled, valid)) miss('wrong', text, values, answer)
    }
    const { differences, found, untold } = own.readDifferences({
      text,
      names,
      ours,
      readers: [model],
      around: new Map(),
    })
    const named = new Set([
      ...[...differences, ...found].map((each) => each.name),
      ...untold.flatMap((each) => each.names),
    ])
    // Some readers are asked for such names only.
    const others = [...new Set([...ours.keys(), ...valid.map(([each]) => each)])]
      .filter((each) => /^HIVE_/i.test(each))
      .filter(
        (each) =>
          ours.get(each) !== answer[each] && (ours.has(each) || !names.has(each)) && !(isOpen && !names.has(each)),
      )
    if (isSilent && others.length > 0) counts.differing++
    const unnamed = others.filter((each) => !named.has(each) && !told.has(each) && !told.has(undefined))
    if (unnamed.length > 0) miss('unnamed', text, ours, answer)
  }
  return { ...counts, examples }

  function miss(kind, text, model, answer) {
    counts[kind]++
    if (examples.length < 10) examples.push({ kind, text, model: Object.fromEntries(model), answer })
  }
}

function isSame(a, b) {
  return JSON.stringify([...a].sort()) === JSON.stringify([...b].sort())
}
