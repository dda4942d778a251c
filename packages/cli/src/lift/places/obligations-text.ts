import { grouped } from '../../code/grouped.js'
import type { Obligation } from './obligations.js'

/** What other places need after a move, by variables: a line a place, empty if nothing is needed. */
export function obligationsText(
  obligations: readonly Obligation[],
  { wrap }: { readonly wrap: (text: string, indent: number) => string },
): string {
  if (obligations.length === 0) return ''
  const groups = grouped(obligations, ({ variables }) => variables.join(', '))
  const lines = [...groups].flatMap(([names, own]) => [
    `    ${wrap(names, 4).replaceAll('\n', '\n    ')}`,
    ...[...grouped(own, likeness).values()].flatMap(placeLines),
  ])
  return `Other places need these values, since only machine-local layers have them:\n${lines.join('\n')}\n`
}

/** Places with the same sentence are told together. */
function likeness({ place, name, written, run }: Obligation): string {
  return JSON.stringify([place, place === 'host' ? '' : placeFile(name), written, run])
}

function placeFile(name: string): string {
  return name.replace(/ \([^()]*\)$/, '')
}

/** What is so at some places, and what to do there. */
function placeLines(all: readonly Obligation[]): readonly string[] {
  const { place, name, written, run } = all[0] as Obligation
  const parts = all.map((each) => each.name.slice(placeFile(each.name).length + 2, -1)).join(', ')
  const stages = all.map(({ stage }) => stage).join(', ')
  const what = {
    clone: 'A clone',
    tests: `Tests in a clone${written === null ? '' : `: ${written} has made-up values`}`,
    container: `${placeFile(name)} (${parts})${written === null ? ': pass them to it' : ' passes them on'}`,
    job: `${placeFile(name)} (${parts})${written === null ? ': pass them to its steps' : ' passes them on'}`,
    image: `The image of ${name}`,
    host: all.length === 1 ? `The ${stages} host` : `The hosts: ${stages}`,
  }[place]
  const set = setThere[place]
  const step = run === null ? (set === undefined ? '' : `Set: ${set}`) : `Run: ${run}`
  return [`        ${what}`, ...(step === '' ? [] : [`          → ${step}`])]
}

/** How a person gives values where no command does. */
const setThere: Readonly<Partial<Record<Obligation['place'], string>>> = {
  job: 'secrets of the repository',
  image: 'environment variables where it is run',
  host: 'environment variables',
}
