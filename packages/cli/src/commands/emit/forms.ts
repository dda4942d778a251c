import { type DeliveredValue, isNameOfShell } from 'mappa/command'
import { shellWord } from '../../terminal/escapes.js'
import { clusterManifests } from './cluster.js'
import type { EmitForm, Unheld } from './emit-form.js'

/** Forms of `mappa emit --as` that hold a stage's values. */
export const emitForms = {
  // POSIX, sections 2.2.2 and 2.14 (export): what is in single quotes is itself.
  shell: {
    remark: '#',
    isEnvironment: true,
    unheld: ({ name }) => (isNameOfShell(name) ? 'is a variable of the shell itself' : undefined),
    write: (values) => lines(values, ({ name, text }) => `export ${name}=${shellWord(text)}`),
  },
  layer: {
    remark: '#',
    unheld: ({ text }) => layerFlaw(text),
    write: (values) => lines(values, ({ name, text }) => `${name}=${layerSpelling(text)}`),
  },
  json: { write: (values, { asText }) => `${JSON.stringify(dataOf(values, asText), null, 2)}\n` },
  yaml: {
    remark: '#',
    write: async (values, { asText }) => {
      const { yamlOf } = await import('../../delivery/yaml-text.js')
      return yamlOf(dataOf(values, asText), { onOneLine: true })
    },
  },
  // The file of `--env-file`: one line a variable, its text as it is up to the line's end, a carriage return there dropped.
  container: {
    remark: '#',
    isEnvironment: true,
    unheld: ({ name, text }) =>
      /\n|\r$/.test(text)
        ? 'has line ends, but a container environment file has one line for each value'
        : Buffer.byteLength(`${name}=${text}`) >= containerLineMax
          ? 'is longer than 64 KiB, the limit of a line in a container environment file'
          : undefined,
    write: (values) => lines(values, ({ name, text }) => `${name}=${text}`),
  },
  // systemd.exec(5), EnvironmentFile: in double quotes a backslash makes these four characters ordinary, and lines go on.
  service: {
    remark: '#',
    isEnvironment: true,
    unheld: ({ text }) =>
      holdsNoCharacter(text)
        ? 'has a byte order mark or a non-character, which the environment file of a service manager cannot contain'
        : undefined,
    write: (values) => lines(values, ({ name, text }) => `${name}="${text.replace(/["\\`$]/g, '\\$&')}"`),
  },
  cluster: { remark: '#', isEnvironment: true, write: clusterManifests },
} as const satisfies Readonly<Record<string, EmitForm>>

export type FormName = keyof typeof emitForms

/** Readers of such files take lines of at most this many bytes. */
const containerLineMax = 64 * 1024

/** Tells whether a text holds U+FEFF, or one of the 66 code points that Unicode says are not characters. */
function holdsNoCharacter(text: string): boolean {
  for (const char of text) {
    const code = char.codePointAt(0) as number
    if (code === 0xfeff || (code >= 0xfdd0 && code <= 0xfdef) || (code & 0xfffe) === 0xfffe) return true
  }
  return false
}

/** The values of a form that it cannot hold. */
export function unheldIn(form: EmitForm, values: readonly DeliveredValue[]): Unheld[] {
  return values.flatMap((value) => {
    const why = form.unheld?.(value)
    return why === undefined ? [] : [{ kind: 'cannot-hold', name: value.name, why }]
  })
}

function lines(values: readonly DeliveredValue[], line: (value: DeliveredValue) => string): string {
  return values.map((value) => `${line(value)}\n`).join('')
}

function dataOf(values: readonly DeliveredValue[], asText: boolean): Readonly<Record<string, unknown>> {
  return Object.fromEntries(values.map(({ name, text, data }) => [name, asText ? text : data]))
}

/** A value in the one spelling that this library, shells, Node's `--env-file` and Vite read alike. */
function layerSpelling(text: string): string {
  if (/^[A-Za-z0-9_./:@%+,-]*$/.test(text)) return text
  return text.includes("'") ? `"${text}"` : `'${text}'`
}

/** Why a value has no such spelling, by what reads it otherwise; undefined if it has one. */
function layerFlaw(text: string): string | undefined {
  if (text.includes('\r')) return "has a carriage return, which Node's --env-file and Vite lose"
  // Whatever its quotes, Vite puts the value of another name there, and takes the backslash away.
  if (/\$(?:[A-Za-z_]|\{)|\\\$/.test(text))
    return 'has a $ before a name or behind a backslash, which Vite reads otherwise, also in single quotes'
  if (!text.includes("'")) return undefined
  // In double quotes no character may need a backslash, since Node's --env-file and Vite keep it.
  if (/"/.test(text)) return "has both kinds of quotes, which Node's --env-file and Vite read otherwise"
  if (/`|\$[0-9*@#?$!(-]/.test(text)) return 'has a single quote beside what a shell expands in double quotes'
  if (/\\(?:[nrt\\$`\n]|$)/.test(text))
    return "has a single quote and a backslash, which Node's --env-file and Vite read otherwise"
  return undefined
}
