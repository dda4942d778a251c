import type { Flaw } from './item-kinds.js'

interface FlawText {
  /** Says what is wrong with `value`, which names the value if it is known whose it is. */
  readonly sentence: (value: string) => string
  readonly remedy: string
}

/** For each flaw a sentence that quotes nothing of the text, since any of it may be a secret, and what to do. */
const flawTexts: Readonly<Record<Flaw, FlawText>> = {
  'no-equals': {
    sentence: () => 'This line must be NAME=value, a comment or empty, and has no equals sign.',
    remedy: 'Write NAME=value, or put # in front. A value of several lines belongs in single quotes.',
  },
  'bad-name': {
    sentence: () =>
      'A name must be made of letters, digits and underscores and not start with a digit; this one is not.',
    remedy: 'Rename it with letters, digits and underscores only, as in FEED_URL.',
  },
  'unclosed-quote': {
    sentence: (value) => `${value} opens a quote that is never closed.`,
    remedy: 'Close it, or put the whole value in the other kind of quotes if it holds this one.',
  },
  'text-after-quote': {
    sentence: (value) => `${value} goes on after its closing quote and a space.`,
    remedy: 'Put the whole value inside the quotes, or start the rest with # if it is a comment.',
  },
  'stray-return': {
    sentence: (value) => `${value} holds a carriage return; outside quotes only line ends (LF or CRLF) may.`,
    remedy: 'Save the file with LF line ends, or write the carriage return as \\r in double quotes.',
  },
  nul: {
    sentence: (value) => `${value} holds a NUL character, which no environment can carry.`,
    remedy: 'Remove it; binary data can be written as base64.',
  },
  'bad-expansion': {
    sentence: (value) => `${value} holds ${'${…}'} in a form that cannot be understood.`,
    remedy: `Write one of ${'${NAME}, ${NAME:-word}, ${NAME-word}, ${NAME:?message}, ${NAME:+word}'}, or single quotes to keep the text.`,
  },
}

/** What a flaw is called, and what to do. `name` is the variable whose value it is in, if the line got that far. */
export function explainFlaw(
  flaw: Flaw,
  name: string | undefined,
): { readonly message: string; readonly remedy: string } {
  const { sentence, remedy } = flawTexts[flaw]
  return { message: sentence(name === undefined ? 'This value' : `The value of ${name}`), remedy }
}
