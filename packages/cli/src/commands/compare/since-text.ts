import { capitalized } from '../../declared/counted.js'
import { paragraph } from '../../terminal/paragraph.js'
import type { Terminal } from '../../terminal/terminal.js'
import { widest } from '../../terminal/widest.js'
import type { HostTask, StageChanges, VariableChange } from './since.js'

/** Changes by stage, for a terminal. */
export function sinceText(
  stages: readonly StageChanges[],
  { width, paint }: Pick<Terminal, 'width' | 'paint'>,
): string {
  return stages
    .map(({ stage, changes, tasks }) => {
      const lines = changes.map((change) => {
        const text = `${change.kind.padEnd(9)} ${changeText(change)}`
        return indented(text, 2, 12, width)
      })
      const asked = tasksBy(tasks).flatMap(([head, some]) => [
        `  ${head}`,
        ...some.map(({ message }) => indented(message, 4, 6, width)),
      ])
      const whole = lines.length === 0 && asked.length === 0 ? ['  No changes.'] : [...lines, ...asked]
      return [`Stage ${paint.bold(stage)}`, ...whole].join('\n')
    })
    .join('\n\n')
}

function indented(text: string, first: number, rest: number, width: number): string {
  return paragraph(text, width - rest)
    .split('\n')
    .map((line, at) => ' '.repeat(at === 0 ? first : rest) + line)
    .join('\n')
}

/** Tells whether a value is where its terms say it, which tell the default. */
function toldByTerms(from: string): boolean {
  return from.startsWith('default in ')
}

function changeText({ kind, name, before, after, from }: VariableChange): string {
  const at = from === null ? '' : `  (${from})`
  switch (kind) {
    case 'added':
      return `${name}: ${after}${from === null ? '; no value' : toldByTerms(from) ? '' : `; ${from}`}`
    case 'renamed':
      return `${before} → ${name}`
    case 'retyped':
      return `${name}: was ${before}; is ${after}`
    case 'revalued':
      return `${name}: ${shownValue(before)} → ${shownValue(after)}${at}`
    default:
      return name
  }
}

function shownValue(text: string | null): string {
  return text === null ? 'no value' : text === '' ? '(empty)' : text
}

const heads = {
  give: 'Set on the host before you deploy:',
  look: 'Check on the host:',
  rename: 'Rename on the host:',
  drop: 'Remove from the host:',
} as const satisfies Readonly<Record<HostTask['kind'], string>>

function tasksBy(tasks: readonly HostTask[]): (readonly [head: string, tasks: readonly HostTask[]])[] {
  return Object.entries(heads).flatMap(([kind, head]) => {
    const some = tasks.filter((task) => task.kind === kind)
    return some.length > 0 ? [[head, some] as const] : []
  })
}

/** The same for a review: a list to tick off, and a table of what has changed. */
export function sinceMarkdown(stages: readonly StageChanges[], commit: string, beside: readonly string[]): string {
  const parts = stages.map(({ stage, changes, tasks }) => {
    const rows = changes.map((change) => `| ${change.kind} | ${code(change.name)} | ${cells(change)} |`)
    const table = rows.length === 0 ? [] : ['', '| | variable | before | now |', '| --- | --- | --- | --- |', ...rows]
    const asked = tasksBy(tasks).flatMap(([head, some]) => [
      '',
      head,
      '',
      ...some.map(({ message }) => `- [ ] ${taskMarkdown(message)}`),
    ])
    const none = rows.length === 0 && asked.length === 0 ? ['', 'No changes.'] : []
    return [`### ${capitalized(stage)}`, ...asked, ...table, ...none].join('\n')
  })
  const others = beside.map((line) => `- ${markdownText(line)}`).join('\n')
  const last = others === '' ? '' : `\n### Exceptions, sources and starts\n\n${others}\n`
  return `## Settings since ${commit}\n\n${parts.join('\n\n')}\n${last}`
}

function cells({ kind, before, after, from }: VariableChange): string {
  const isValue = kind === 'revalued' || kind === 'renamed'
  const [was, is] = [before, after].map((text) =>
    text === null ? (isValue ? 'no value' : '') : isValue ? code(text === '' ? '(empty)' : text) : markdownText(text),
  )
  return `${was} | ${is}${from === null || (kind === 'added' && toldByTerms(from)) ? '' : ` (${markdownText(from)})`}`
}

/** A task begins with a name. */
function taskMarkdown(message: string): string {
  const [name = ''] = /^\w+/.exec(message) ?? []
  return code(name) + markdownText(message.slice(name.length))
}

/** A value in which backticks stand would end the code. */
function code(text: string): string {
  const ticks = '`'.repeat(widest(text.match(/`+/g) ?? []) + 1)
  const space = /^`|`$/.test(text) ? ' ' : ''
  return `${ticks}${space}${text.replace(/[\r\n]+/g, ' ').replaceAll('|', '\\|')}${space}${ticks}`
}

function markdownText(text: string): string {
  return text.replace(/[\r\n]+/g, ' ').replace(/[\\`*_[\]<>|#]/g, '\\$&')
}
