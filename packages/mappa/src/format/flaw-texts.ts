import type { Flaw } from './scan.js'

/** For each flaw a sentence that quotes nothing of the text, since any of it may be a secret, and what to do. */
export const flawTexts: Readonly<Record<Flaw, { readonly sentence: string; readonly remedy: string }>> = {
  'no-equals': {
    sentence: 'This line must be NAME=value, a comment or blank, and has no equals sign.',
    remedy: 'Write NAME=value, or put # in front. A value of several lines belongs in single quotes.',
  },
  'bad-name': {
    sentence: 'A name must be made of letters, digits and underscores and not start with a digit; this one is not.',
    remedy: 'Rename it, for example to FEED_URL.',
  },
  'unclosed-quote': {
    sentence: 'This quote is never closed.',
    remedy: 'Close it, or put the whole value in the other kind of quotes if it holds this one.',
  },
  'text-after-quote': {
    sentence: 'Text follows the closing quote, with a blank between them.',
    remedy: 'Put the whole value inside the quotes, or start the rest with # if it is a comment.',
  },
  'stray-return': {
    sentence: 'A carriage return stands inside this line; only line ends (LF or CRLF) are allowed outside quotes.',
    remedy: 'Save the file with LF line ends, or write the carriage return as \\r in double quotes.',
  },
  nul: {
    sentence: 'This value holds a NUL character, which no environment can carry.',
    remedy: 'Remove it; binary data can be written as base64.',
  },
  expansion: {
    sentence: 'This value holds ${…}, and this version of Mappa does not expand it yet.',
    remedy: 'Write the value out, or put it in single quotes to keep ${…} as text.',
  },
}
