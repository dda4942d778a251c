import type { Legend, Variable } from 'mappa'
import { writtenType } from '../../declared/declaration.js'
import { sentencesOf } from '../../declared/sentences.js'

/** The first line of every module that is written here, so that another's is never overwritten. */
const moduleHead = '// Written by mappa emit --as module. Do not edit: changes are lost.'

/** Tells whether `mappa emit --as module` wrote a file, in any version. */
export function isEmittedModule(text: string): boolean {
  return text.startsWith('// Written by mappa emit --as module')
}

/** A module of the values that pages have, as JavaScript or TypeScript. */
export function pageModule(
  code: string,
  variables: readonly Variable[],
  definition: Legend,
  { stage, isTyped }: { readonly stage: string; readonly isTyped: boolean },
): string {
  const byName = new Map(variables.map((variable) => [variable.name, variable]))
  const lines = code.trimEnd().split('\n')
  const written = lines.flatMap((line) => {
    const [, name = '', value = ''] = /^export const (\w+) = (.*)$/.exec(line) ?? []
    const variable = byName.get(name)
    if (!variable) return [isTyped ? typedLine(line) : line]
    // A function's result is best described by the value.
    const type = variable.made ? undefined : writtenType(variable, definition)
    const about = sentencesOf(variable).map((each) => each.replaceAll('*/', '*\\/'))
    if (isTyped)
      return [...docComment(about), `export const ${name}${type === undefined ? '' : `: ${type}`} = ${value}`]
    return [...docComment([...about, ...(type === undefined ? [] : [`@type {${type}}`])]), line]
  })
  return `${[moduleHead, `// Values of pages in stage ${stage}.`, '', ...written].join('\n')}\n`
}

/** Types for the code that finds a page's values when it is served. */
function typedLine(line: string): string {
  return line
    .replace(/^let values$/, 'let values: Record<string, never> | undefined')
    .replace(/^function atStart\(name, mayLack\)/, 'function atStart(name: string, mayLack?: boolean): never')
    .replace('return values[name]', 'return values[name] as never')
}

function docComment(lines: readonly string[]): string[] {
  return lines.length === 0 ? [] : ['/**', ...lines.map((line) => ` * ${line}`), ' */']
}
