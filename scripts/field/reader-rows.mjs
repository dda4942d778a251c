// The constructs of docs/format.md, as each reader reads them.

import { readers } from './readers.mjs'
import { ownReading, ownSide } from './readers-compared.mjs'

/** Files of one construct each; the value of HIVE_A is what the table shows. */
export const rowTexts = [
  'HIVE_A=x',
  'HIVE_A=',
  'HIVE_A=x # note',
  'HIVE_A=p#ss',
  "HIVE_A='p#ss'",
  'HIVE_A="p#ss"',
  'HIVE_A=#x',
  'HIVE_A=p$ss',
  "HIVE_A='p$ss'",
  'HIVE_A="p\\$ss"',
  "HIVE_A='a\\b'",
  'HIVE_A=C:\\hives',
  'HIVE_A=two words',
  "HIVE_A='two words'",
  "HIVE_A=it's",
  'HIVE_A="it\'s"',
  "HIVE_A='it'\"'\"'s'",
  'HIVE_A="say \\"x\\""',
  'HIVE_A={"a":1}',
  'HIVE_A="a\\nb"',
  'HIVE_A="a\nb"',
  'HIVE_A=a;b',
  'HIVE_A=`x`',
  'export HIVE_A=x',
  'HIVE_A = x',
  'HIVE_A=1\nHIVE_A=2',
  'HIVE_B=x\nHIVE_A=${HIVE_B}',
  'HIVE_A=${HIVE_B}\nHIVE_B=x',
  "HIVE_B=x\nHIVE_A='${HIVE_B}'",
  'HIVE_A=${HIVE_B:-x}',
  'HIVE_A=x\r\nHIVE_C=1\r\n',
  '\ufeffHIVE_A=x',
]

/** What every reader that is here makes of each construct: by text, the value of each reader, null for a refused file. */
export async function readRows(mappa) {
  const present = Object.entries(readers).filter(([, { is }]) => is())
  const answers = new Map()
  for (const [name, { ask }] of present) answers.set(name, await ask(rowTexts.map((text) => `${text}\n`)))
  return rowTexts.map((text, at) => ({
    text,
    ours: ownReading(mappa, `${text}\n`).ours.get('HIVE_A'),
    cells: Object.fromEntries(
      present.map(([name]) => {
        const answer = answers.get(name)[at]
        // An environment does not take every name.
        const own = answer && Object.fromEntries(Object.entries(answer).filter(([each]) => /^HIVE_\w$/.test(each)))
        return [name, own]
      }),
    ),
  }))
}

/** Reads by each model what the readers have read: the rows in which a model differs from its reader. */
export async function wrongModels(rows) {
  const { layerReaders } = await ownSide()
  return rows.flatMap(({ text, cells }) =>
    Object.entries(cells).flatMap(([name, answer]) => {
      const { model, version = 0 } = readers[name]
      const { values, refusedAt, untoldAt } = layerReaders[model].versions[version](`${text}\n`, new Map())
      const own = Object.fromEntries([...values].filter(([each]) => /^HIVE_\w$/.test(each)))
      const isOpen = [...values.values()].includes(undefined)
      if (isOpen || untoldAt !== undefined || (answer === null && refusedAt !== undefined)) return []
      return JSON.stringify(sorted(own)) === JSON.stringify(sorted(answer)) ? [] : [{ name, text, own, answer }]
    }),
  )
}

function sorted(record) {
  return record && Object.entries(record).sort()
}
