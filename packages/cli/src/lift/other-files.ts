import type { SourceFile } from '../code/parse.js'
import { lineAndColumn } from '../code/place.js'
import { isTestFile } from '../code/test-files.js'
import { keyShapesIn } from '../credentials/key-shapes.js'
import { counted } from '../declared/counted.js'

/** Languages that are not looked at, by the endings of their files. */
const languages: Readonly<Record<string, string>> = {
  astro: 'Astro',
  c: 'C',
  cc: 'C++',
  coffee: 'CoffeeScript',
  cpp: 'C++',
  cs: 'C#',
  dart: 'Dart',
  ejs: 'EJS',
  erb: 'ERB',
  ex: 'Elixir',
  exs: 'Elixir',
  go: 'Go',
  gradle: 'Gradle',
  graphql: 'GraphQL',
  hbs: 'Handlebars',
  java: 'Java',
  kt: 'Kotlin',
  lua: 'Lua',
  php: 'PHP',
  pl: 'Perl',
  prisma: 'Prisma',
  ps1: 'PowerShell',
  pug: 'Pug',
  r: 'R',
  rb: 'Ruby',
  rs: 'Rust',
  scala: 'Scala',
  sh: 'shell',
  sql: 'SQL',
  swift: 'Swift',
  tf: 'Terraform',
}

/** What lift finds in files that it does not edit. */
export interface OtherFiles {
  /** How many files there are in each language that is not looked at. */
  readonly notExamined: Readonly<Record<string, number>>
  /** Places with key-shaped text; lines count from 1. */
  readonly keyShaped: readonly { readonly file: string; readonly line: number }[]
}

/** Looks at the files of a project that hold no code that lift reads: their languages, and key-shaped text in them. */
export function otherFilesOf(files: Iterable<SourceFile>): OtherFiles {
  const notExamined: Record<string, number> = {}
  const keyShaped: { file: string; line: number }[] = []
  for (const { path, text } of files) {
    const language = languages[/\.(\w+)$/.exec(path)?.[1]?.toLowerCase() ?? '']
    if (language !== undefined) notExamined[language] = (notExamined[language] ?? 0) + 1
    if (keyShaped.length >= keyPlacesMax || isTestFile(path)) continue
    const lines = new Set(keyShapesIn(text).map(({ start }) => lineAndColumn(text, start).line))
    for (const line of lines) keyShaped.push({ file: path, line })
  }
  return { notExamined, keyShaped: keyShaped.slice(0, keyPlacesMax) }
}

/** More places are data. */
const keyPlacesMax = 200

/** What `otherFilesOf` gives, as lines; empty if there is nothing. */
export function otherFilesText({ notExamined, keyShaped }: OtherFiles): string {
  const kinds = Object.entries(notExamined).sort(([, one], [, other]) => other - one)
  const count = kinds.reduce((sum, [, each]) => sum + each, 0)
  const names = kinds.map(([language]) => language)
  const last = names.length > 1 ? ` and ${names.at(-1)}` : ''
  const places = keyShaped.map(({ file, line }) => `${file}:${line}`)
  const more = places.length > keyPlacesShown ? ` and ${counted(places.length - keyPlacesShown, 'more place')}` : ''
  return [
    ...(count > 0
      ? [
          `Not examined: ${counted(count, 'file')} in ${names.slice(0, Math.max(1, names.length - 1)).join(', ')}${last}.\n`,
        ]
      : []),
    ...(places.length > 0
      ? [`Key-shaped text, which stays: ${places.slice(0, keyPlacesShown).join(', ')}${more}.\n`]
      : []),
  ].join('')
}

/** More places are counted. */
const keyPlacesShown = 10
