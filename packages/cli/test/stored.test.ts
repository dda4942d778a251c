// What lift finds in many small pieces of code: they are in stored/, the cases and the answers.
// A line that is added to a case there gets its answer by WRITE_STORED=1, to be read in the diff.
import test from 'node:test'
import { storedIn } from '../../../test/helpers.js'
import type { Candidate } from '../src/guess/finding.js'
import { findIn } from '../src/lift/lift.js'
import { changesTo } from './lifting.js'

const { answered, answeredEach } = storedIn('packages/cli/test/stored')

/** `!NAME=value`, with `!` before secrets, the kind behind it, `?` where the confidence is low, `~` where it is medium. */
function short({ name, value = '-', stages, secret, kind, confidence, builtOn }: Candidate): string {
  const staged = Object.entries(stages).map((each) => ` ${each.join(':')}`)
  const doubt = { high: '', medium: '~', low: '?' }[confidence]
  const shown = value.length > 80 ? `${value.length} characters` : value
  return `${secret ? '!' : ''}${name}=${shown}${staged.join('')} ${kind}${doubt}${builtOn ? ` on ${builtOn}` : ''}`
}

test('which words make a setting of a literal, and what it is called', () => {
  answeredEach('words', (code, word) => {
    const file = { path: 'app.tsx', text: `${code.replaceAll('¤', word)}\nexport {}` }
    return findIn([file], []).candidates.map(short).join(', ') || '-'
  })
})

/** What says something, without what is so unless it is said otherwise. */
const told = (fields: object) =>
  JSON.stringify(
    Object.fromEntries(Object.entries(fields).filter(([, each]) => !['', false, undefined, 'server'].includes(each))),
  )

test('what is found in code, where it stands, why, and what it asks for', async () => {
  await answered('finds', (given) => {
    const isMany = given.startsWith('{"')
    const { taken = [], compose, ...texts } = isMany ? JSON.parse(given) : { 'app.ts': given.replaceAll('\\n', '\n') }
    const files = Object.entries<string>(texts).map(([path, text]) => ({ path, text }))
    const { candidates, secrets } = findIn(files, taken, compose)
    const textAt = (at: string, start: number, end: number) =>
      files.find(({ path }) => path === at)?.text.slice(start, end)
    return [
      ...candidates.flatMap((each) => {
        const { sites, reason, entry, asks, blocked, reach } = each
        return [
          `    ${short(each)}: ${reason} ${told({ ...entry, reach, asks: asks.join(), blocked })}`,
          ...sites.map(({ path, start, end, line, column, ...site }) => {
            const { lead, rest, stage, stages, frame, placeholder, openly, echo, group, variable } = site
            const { fallback, wanted, without, contrary, asks, needs, member, pattern, stuck } = variable ?? {}
            const use = { wanted, without, contrary, asks, needs, member, stuck, fallback, pattern }
            const own = { lead, rest, stage, stages, frame, placeholder, openly, echo, group, ...use }
            const dropped = site.dropped?.map((each) => textAt(path, each.start, each.end))
            return `        ${path}:${line}:${column} [${textAt(path, start, end)}] ${told({ ...own, dropped })}`.replaceAll(
              '\n',
              '\\n',
            )
          }),
        ]
      }),
      ...(secrets.length > 0
        ? [`    hidden: ${secrets.map(({ path, start, end }) => `${path}:${start}-${end}`)}`]
        : []),
    ]
  })
})

test('what becomes of code, scripts, containers, pages and files of stages when their settings move', async () => {
  await answered('moves', (given) => {
    const isMany = given.startsWith('{"')
    const texts = isMany ? JSON.parse(given) : { 'app.ts': `${given.replaceAll('\\n', '\n')}\nexport {}\n` }
    const files = Object.entries<string>(texts).map(([path, text]) => ({ path, text }))
    return changesTo(files, !isMany).map(({ path, after }) => {
      // What is the same each time is told once, by other tests.
      if (/mappa\.types|\.gitignore/.test(path)) return `    ${path}`
      if (!isMany && /^(?:settings\.|\.env\.example|mappa\.d)/.test(path)) return `    ${path}`
      const [, entries] = /legend\(\{\n {2}([\s\S]*),\n\}/.exec(after) ?? []
      return `    ${path}: ${JSON.stringify(entries ?? after)}`
    })
  })
})
