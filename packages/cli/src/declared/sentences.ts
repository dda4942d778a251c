import { printable, type Terms, type Variable } from 'mappa'

/** What a variable is and takes, as plain sentences: what it is for, what it must be, what differs in single stages. */
export function sentencesOf(variable: Variable): string[] {
  const { description, deprecated, formerly, file, name, examples } = variable
  return [
    ...(description ? [sentence(description)] : []),
    ...(deprecated ? ['It is deprecated.'] : []),
    ...termSentences(variable),
    ...(variable.reach === 'browser'
      ? [variable.fixed === 'start' ? 'It reaches the browser, which gets it at the start.' : 'It reaches the browser.']
      : []),
    ...(examples.length > 0 ? [sentence(`For example ${examples.join(', ')}`)] : []),
    ...(formerly.length > 0 ? [`Its former name is ${formerly.join(', ')}.`] : []),
    ...(file ? [`${name}_FILE may name a file that holds it.`] : []),
  ]
}

/** Where a person gets a value, and how a fresh one is made. An address stands alone, so that it can be taken. */
export function obtainLines({ obtain, generate }: Variable): string[] {
  return [
    ...(obtain === undefined ? [] : [`Obtain: ${printable(obtain.replace(/\s+/g, ' ').trim())}`]),
    ...(generate ? [`Obtain: a fresh one is ${generate.bytes} random bytes, written as ${generate.text}.`] : []),
  ]
}

/** What it must be, in all stages and in those that differ. */
function termSentences(variable: Variable): string[] {
  const { expects, required, secret, stages } = variable
  const fallback = variable.default
  return [
    // That it must be text says nothing.
    ...(expects !== 'text'
      ? [sentence(`It ${secret ? 'is secret, and ' : ''}must be ${expects}`)]
      : secret
        ? ['It is secret.']
        : []),
    ...(fallback !== undefined ? [sentence(`Unless set, it is ${fallback || 'empty'}`)] : []),
    ...(!required && fallback === undefined ? ['It may be left out.'] : []),
    ...stages.flatMap(({ stage, ...own }) =>
      differences(variable, own).map((difference) => sentence(`In ${stage} it ${difference}`)),
    ),
  ]
}

/** How one stage's terms differ, each to follow "In production it". */
export function differences(base: Terms, own: Terms): string[] {
  return [
    ...(own.expects === base.expects ? [] : [`must be ${own.expects}`]),
    ...(own.default === base.default || own.default === undefined ? [] : [`is ${own.default || 'empty'} unless set`]),
    ...(own.required === base.required ? [] : [own.required ? 'has to be set' : 'may be left out']),
  ]
}

/** A text on one line that ends in a full stop. */
export function sentence(text: string): string {
  const line = printable(text.replace(/\s+/g, ' ').trim())
  const whole = /[.!?…]$/.test(line) ? line : `${line}.`
  return whole.charAt(0).toUpperCase() + whole.slice(1)
}
