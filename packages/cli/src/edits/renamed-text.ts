import { readLayer } from 'mappa'

/** A layer's text in which a variable, and what is built on it, has another name. */
export function renamedInLayer(text: string, name: string, fresh: string): string {
  const layer = readLayer(text)
  const there = layer.names()
  if (there.includes(name) && there.includes(fresh)) throw new RangeError(`${fresh} is already set there.`)
  layer.rename(name, fresh)
  return layer.toString()
}

/** A text in which a name stands as a whole word, under another one: for manifests and scripts, whose names are these. */
export function renamedWord(text: string, name: string, fresh: string): string {
  return text.replace(new RegExp(`(?<![\\w.-])${name}(?![\\w-])`, 'g'), fresh)
}

/** A template's text in which the forms that ask for a name ask for another one. */
export function renamedInForms(text: string, name: string, fresh: string): string {
  return text.replace(new RegExp(`(?<=\\$\\{)${name}(?=[}:?+-])`, 'g'), fresh)
}

/** Tells whether a file may be stamped: manifests, units, configurations. Pages have forms of their own in their scripts. */
export function mayBeTemplate(path: string): boolean {
  return /\.(?:ya?ml|json|service|socket|timer|conf|cfg|ini|toml|properties|tpl|tmpl|template)$/.test(path)
}

/** Lines that hold a name as a whole word, from 1. */
export function linesWith(text: string, name: string): readonly number[] {
  const word = new RegExp(`(?<!\\w)${name}(?!\\w)`)
  return text.split('\n').flatMap((line, at) => (word.test(line) ? [at + 1] : []))
}

/** Tells whether a file hands variables on by their names: compose files, workflows, container builds, shell scripts. */
export function handsOn(path: string): boolean {
  return /(?:^|\/)(?:(?:[a-z]+-)?compose(?:\.[a-z-]+)*\.ya?ml|(?:Docker|Container)file(?:\.\w+)?|package\.json|Procfile)$|(?:^|\/)\.github\/workflows\/[^/]+\.ya?ml$|\.(?:sh|service)$/.test(
    path,
  )
}
