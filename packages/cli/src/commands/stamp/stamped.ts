import { type Fault, printable, type Survey } from 'mappa'
import { expandIn, nearest } from 'mappa/command'
import { stampPage } from 'mappa/page'
import { lineAndColumn } from '../../code/place.js'

import { pageTemplate, stampHtml } from './stamp-html.js'
import { stampJson } from './stamp-json.js'
import { stampYaml, yamlTemplate } from './stamp-yaml.js'
import { type FilledForm, type Mention, readTemplate, type Stamped, stampText, type Template } from './template.js'

/** The result of a form. */
type Filling = Extract<ReturnType<typeof expandIn>, { readonly text: string }>

/** A form in which templates are written. */
interface FormOfTemplate {
  /** Lower-case file names of this form; the first match counts. */
  readonly names?: RegExp
  /** The parts of a template that belong to its format. */
  readonly read?: (template: Template) => Template
  /** Puts values where they cannot break anything. */
  readonly stamp: (
    template: Template,
    filled: readonly FilledForm[],
    fillings: ReadonlyMap<Mention, Filling>,
  ) => Stamped
}

/** The template formats: how each is read, and what its values must not break. The one record of them. */
const formsOfTemplates = {
  compose: {
    names: /^(?:docker-)?compose(?:[.-].*)?\.ya?ml$/,
    read: yamlTemplate,
    stamp: (template, filled, fillings) => stampYaml(template, filled, { isCompose: true, ...hiding(fillings) }),
  },
  yaml: {
    names: /\.ya?ml$/,
    read: yamlTemplate,
    stamp: (template, filled, fillings) => stampYaml(template, filled, { isCompose: false, ...hiding(fillings) }),
  },
  json: { names: /\.(?:json|webmanifest)$/, stamp: stampJson },
  html: {
    names: /\.x?html?$/,
    read: pageTemplate,
    stamp: (template, filled, fillings) =>
      stampHtml(template, filled, (mention) => fillings.get(mention)?.schemes ?? []),
  },
  text: { stamp: stampText },
} as const satisfies Readonly<Record<string, FormOfTemplate>>

export type TemplateForm = keyof typeof formsOfTemplates

export const templateForms = Object.keys(formsOfTemplates) as readonly TemplateForm[]

function formOfTemplate(form: TemplateForm): FormOfTemplate {
  return formsOfTemplates[form]
}

function hiding(fillings: ReadonlyMap<Mention, Filling>) {
  const nothing = { secrets: [], undeclared: [] }
  return { hiddenIn: ({ mention }: FilledForm) => fillings.get(mention) ?? nothing }
}

/** The form that a file's name says. */
export function templateFormOf(path: string): TemplateForm {
  const name = path.split(/[\\/]/).at(-1)?.toLowerCase() ?? ''
  return templateForms.find((form) => formOfTemplate(form).names?.test(name)) ?? 'text'
}

/** A file that is to be stamped. */
export interface TemplateFile {
  /** As it was named. */
  readonly path: string
  readonly form: TemplateForm
  readonly template: Template
}

export function templateFile(path: string, text: string, form: TemplateForm): TemplateFile {
  const template = readTemplate(text)
  return { path, form, template: formOfTemplate(form).read?.(template) ?? template }
}

/** A file with a stage's values. */
export interface StampedFile {
  readonly path: string
  readonly text: string
  readonly faults: readonly Fault[]
  /** Names of the secrets in it. */
  readonly secrets: readonly string[]
}

/** Puts a stage's values into a template; faults name the line, without its value. */
export function stampFile({ path, form, template }: TemplateFile, found: Survey): StampedFile {
  const { text } = template
  const filled: FilledForm[] = []
  const fillings = new Map<Mention, Filling>()
  const faultAt = (at: number, end: number, fault: Omit<Fault, 'place' | 'excerpt'>): Fault => ({
    ...fault,
    ...spotAt(path, text, at, end, found),
  })
  const faultsByName = new Map(
    found.faults.flatMap((fault) => (fault.name === undefined ? [] : [[fault.name, fault] as const])),
  )
  const faults: Fault[] = template.flaws.map((at) =>
    faultAt(at, at + 2, {
      kind: 'bad-expansion',
      message: 'This must be ${NAME}, ${NAME-word}, ${NAME:-word}, ${NAME:?message} or ${NAME:+word}.',
      remedy: 'To keep the text, write: \\${',
    }),
  )
  // Templates say the same form again and again.
  const known = new Map<string, ReturnType<typeof expandIn>>()
  for (const mention of template.mentions) {
    const written = text.slice(mention.start, mention.end)
    const filling = known.get(written) ?? expandIn(found, mention.parts)
    known.set(written, filling)
    if ('problem' in filling) {
      // A faulty value is reported at its own place.
      const [ofStage] = filling.names.flatMap((name) => faultsByName.get(name) ?? [])
      if (ofStage?.place) continue
      faults.push(faultAt(mention.start, mention.end, ofStage ?? unfilled(mention, filling, found)))
    } else {
      filled.push({ mention, text: filling.text, scalar: filling.scalar })
      fillings.set(mention, filling)
      if (form === 'html')
        for (const each of forBrowser(mention, filling).map((fault) => faultAt(mention.start, mention.end, fault)))
          faults.push(each)
    }
  }
  const stamped = formOfTemplate(form).stamp(template, filled, fillings)
  const byStart = new Map(template.mentions.map((mention) => [mention.start, mention]))
  for (const { at, kind, why, remedy } of stamped.misplaced) {
    const mention = byStart.get(at)
    const form = mention && printable(text.slice(mention.start, mention.end))
    faults.push(
      faultAt(at, mention?.end ?? at + 1, {
        kind,
        remedy: printable(remedy),
        message: form === undefined ? printable(why) : `${form} ${why}`,
      }),
    )
  }
  const hidden = [...fillings.values()].flatMap(({ secrets, undeclared }) => [...secrets, ...undeclared])
  return { path, text: stamped.text, faults, secrets: [...new Set(hidden)] }
}

/** Gives a page the values that it takes when it is served, beside those of its forms. */
export function withPageBlock(text: string, found: Survey): string {
  return found.settings ? stampPage(text, found.settings as object) : text
}

/** Refuses values that no page may have, whatever the expansion. */
function forBrowser({ parts }: Mention, { secrets, undeclared, serverOnly }: Filling): Omit<Fault, 'place'>[] {
  const [part] = parts
  const name = typeof part === 'object' ? part.name : undefined
  const [secret] = secrets
  const base = { kind: 'secret-in-browser' as const, ...(name !== undefined && { name }) }
  if (secret !== undefined)
    return [
      {
        ...base,
        message: `${secret} is secret, but a page is readable by everyone.`,
        remedy: 'Remove it from the page, and use it on a server.',
      },
    ]
  const [unknown] = undeclared
  if (unknown !== undefined)
    return [
      {
        ...base,
        message: `${unknown} is not in the legend, so it counts as secret, but a page is readable by everyone.`,
        remedy: `If everyone may see it, write: ${unknown}: { type: 'string', reach: 'browser' }`,
      },
    ]
  return serverOnly.slice(0, 1).map((each) => ({
    kind: 'beyond-reach' as const,
    name: each,
    message: `${each} is for servers, but this is a page.`,
    remedy: "Remove it from the page. If everyone may see it, write in its entry: reach: 'browser'",
  }))
}

/** Why a form comes to nothing. */
function unfilled(
  { parts }: Mention,
  { problem, names, message }: Exclude<ReturnType<typeof expandIn>, Filling>,
  found: Survey,
): Omit<Fault, 'place'> {
  const [name = ''] = names
  const base = { name }
  switch (problem) {
    case 'unset': {
      const isDeclared = found.trail(name).declared
      const near = isDeclared ? undefined : nearest(name, [...found.trails.keys()])
      const whole = typeof parts[0] === 'object' && parts[0].name === name
      return {
        ...base,
        kind: 'unset',
        message: isDeclared
          ? `${name} has no value in stage ${found.stage.name}.`
          : `${name} is not in the legend, and no layer sets it.`,
        remedy:
          near !== undefined
            ? `Did you mean \${${near}}?`
            : isDeclared && whole
              ? `Give it a value, or a fallback as in \${${name}-}. Run: mappa fill ${name} --stage ${found.stage.name}`
              : `Set it in a layer. To keep the text, write: \\\${${name}}`,
      }
    }
    case 'asked-for':
      return {
        ...base,
        kind: 'asked-for',
        message: `${name} has no value${message ? `: ${printable(found.mask(message))}` : ''}.`,
        remedy: `Run: mappa fill ${name} --stage ${found.stage.name}`,
      }
    case 'cycle':
      return {
        ...base,
        kind: 'cycle',
        message: `A cycle: ${names.join(' → ')}.`,
        remedy: 'Break it.',
      }
    case 'too-long':
      return { ...base, kind: 'too-long', message: 'It is larger than 1 MiB.', remedy: 'Shorten it.' }
    default:
      return {
        ...base,
        kind: 'too-deep',
        message: `${name} refers to a chain of too many variables.`,
        remedy: 'Shorten the chain.',
      }
  }
}

/** Longer lines are data; what stands at the place is enough. UTF-16 code units. */
const excerptMax = 200

function spotAt(file: string, text: string, at: number, end: number, found: Survey): Pick<Fault, 'place' | 'excerpt'> {
  const { line, column } = lineAndColumn(text, at)
  const start = at - column + 1
  // Of a longer line nothing is shown, so no more of it is looked at.
  const reach = text.slice(start, Math.max(end, start + excerptMax) + 1)
  const shownLine = reach.split('\n', 1)[0]?.replace(/\r$/, '') ?? ''
  const [from, to] = [column - 1, Math.min(end - start, shownLine.length)]
  const place = { file, line, column, endColumn: Math.max(to, from + 1) + 1 }
  const shown = shownLine.length > excerptMax || found.mask(shownLine) !== shownLine ? undefined : shownLine
  return { place, ...(shown !== undefined && { excerpt: { text: shown, start: from, end: Math.max(to, from + 1) } }) }
}

/** The names that templates use, each with its places, and whether it must have a value. */
export function mentionedNames(files: readonly TemplateFile[]): ReadonlyMap<string, readonly string[]> {
  const names = new Map<string, string[]>()
  for (const { path, template } of files)
    for (const { start, parts } of template.mentions) {
      const { line } = lineAndColumn(template.text, start)
      for (const name of namesOfParts(parts)) {
        const places = names.get(name) ?? []
        places.push(`${path}:${line}`)
        names.set(name, places)
      }
    }
  return names
}

function namesOfParts(parts: Mention['parts']): string[] {
  return parts.flatMap((part) => (typeof part === 'string' ? [] : [part.name, ...namesOfParts(part.word)]))
}
