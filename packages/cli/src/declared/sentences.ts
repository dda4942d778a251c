import { printable, type Terms, type Variable } from 'mappa'

/** A variable in plain sentences: its purpose, its type and limits, and what differs by stage. */
export function sentencesOf(variable: Variable): string[] {
  const { description, deprecated, formerly, file, name, examples } = variable
  return [
    ...(description ? [sentence(description)] : []),
    ...(deprecated ? ['Deprecated.'] : []),
    ...termSentences(variable),
    ...(variable.reach === 'browser'
      ? [variable.fixed === 'start' ? 'Reaches the browser at start.' : 'Reaches the browser.']
      : []),
    ...(examples.length > 0 ? [sentence(`For example ${examples.join(', ')}`)] : []),
    ...(formerly.length > 0 ? [`Formerly ${formerly.join(', ')}.`] : []),
    ...(file ? [`${name}_FILE may name a file with its value.`] : []),
  ]
}

/** Finds where a person gets a value, and how a fresh one is made. An address stands alone, so that it can be taken. */
export function obtainLines({ obtain, generate }: Variable): string[] {
  return [
    ...(obtain === undefined ? [] : [`Obtain: ${printable(obtain.replace(/\s+/g, ' ').trim())}`]),
    ...(generate ? [`Obtain: generate ${generate.bytes} random bytes as ${generate.text}.`] : []),
  ]
}

/** Type and limits, in general and for each stage that differs. */
function termSentences(variable: Variable): string[] {
  const { expects, required, secret, stages } = variable
  const fallback = variable.default
  return [
    ...(secret ? ['Secret.'] : []),
    // Every variable is text, so only more than that is worth saying.
    ...(expects !== 'text' ? [sentence(asLabel(expects))] : []),
    ...(fallback !== undefined ? [sentence(`Default: ${fallback || 'empty'}`)] : []),
    ...(!required && fallback === undefined ? ['Optional.'] : []),
    ...stages.flatMap(({ stage, ...own }) => {
      const found = differences(variable, own)
      return found.length > 0 ? [sentence(`In ${stage}: ${found.join(', ')}`)] : []
    }),
  ]
}

/** Type and limits without an article: `Port, 1 to 65535`. */
function asLabel(expects: string): string {
  return expects.replace(/^an? /, '').replace(/ from (\S+) to (\S+)/, ', $1 to $2')
}

/** Tells how one stage's terms differ, to follow "In production:". */
export function differences(base: Terms, own: Terms): string[] {
  return [
    ...(own.expects === base.expects ? [] : [asLabel(own.expects)]),
    ...(own.default === base.default || own.default === undefined ? [] : [`default ${own.default || 'empty'}`]),
    ...(own.required === base.required ? [] : [own.required ? 'required' : 'optional']),
  ]
}

/** A text on one line that ends in a full stop. */
export function sentence(text: string): string {
  const line = printable(text.replace(/\s+/g, ' ').trim())
  const whole = /[.!?…]$/.test(line) ? line : `${line}.`
  return whole.charAt(0).toUpperCase() + whole.slice(1)
}
