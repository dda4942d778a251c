import type { Flaw } from './item-kinds.js'

interface FlawText {
  /** Says what is wrong with `value`, which names the value if it is known whose it is. */
  readonly sentence: (value: string) => string
  readonly remedy: string
}

/** For each flaw a sentence that quotes nothing of the text, since any of it may be a secret, and what to do. */
const flawTexts: Readonly<Record<Flaw, FlawText>> = {
  'no-equals': {
    sentence: () => 'This line must be NAME=value, a comment or empty, but has no equals sign.',
    remedy: 'Write NAME=value, or put # in front. Put a value of several lines in single quotes.',
  },
  'bad-name': {
    sentence: () => 'This name has other characters than letters, digits and underscores, or starts with a digit.',
    remedy: 'Use only letters, digits and underscores, as in FEED_URL.',
  },
  'unclosed-quote': {
    sentence: (value) => `${value} opens a quote that never closes.`,
    remedy: 'Close it. If the quote belongs to the value, put the value in the other kind of quotes.',
  },
  'text-after-quote': {
    sentence: (value) => `${value} continues after its closing quote.`,
    remedy: 'Put the whole value inside the quotes. If the rest is a comment, start it with #.',
  },
  'stray-return': {
    sentence: (value) => `${value} contains a carriage return that is not part of a line end.`,
    remedy: 'Save the file with LF line ends, or write \\r in double quotes.',
  },
  nul: {
    sentence: (value) => `${value} contains a NUL character, which no environment can hold.`,
    remedy: 'Remove it. Write binary data as base64.',
  },
  'bad-expansion': {
    sentence: (value) => `${value} contains ${'${…}'} in an unknown form.`,
    remedy: `Write one of ${'${NAME}, ${NAME:-word}, ${NAME-word}, ${NAME:?message}, ${NAME:+word}'}, or put text in single quotes.`,
  },
}

/** A flaw's sentence and remedy. `name` is the variable whose value has it, if the line got that far. */
export function explainFlaw(
  flaw: Flaw,
  name: string | undefined,
): { readonly message: string; readonly remedy: string } {
  const { sentence, remedy } = flawTexts[flaw]
  return { message: sentence(name === undefined ? 'This value' : `The value of ${name}`), remedy }
}
