import { parseExpression } from '@babel/parser'
import { type Node, nodesIn, type SourceFile } from '../code/parse.js'

/** A script of a package. */
export interface Script {
  readonly name: string
  readonly command: string
  /** Its text in the manifest, with the quotes. */
  readonly start: number
  readonly end: number
}

/** The command of a package's script; undefined if it lacks a script of that name. */
export function scriptOf(manifest: string, name: string): string | undefined {
  return scriptsOf(manifest).find((each) => each.name === name)?.command
}

/** The script by which a package is compiled or built: what only checks types comes first. */
export function buildScript(manifest: string): string | undefined {
  const usual = ['typecheck', 'type-check', 'check-types', 'check:types', 'types', 'tsc', 'build']
  return usual.find((name) => scriptOf(manifest, name) !== undefined)
}

/** The packages that a package is developed with, by their names without a scope. */
export function developedWith({ text }: SourceFile): ReadonlySet<string> {
  const names = manifestMembers(text, 'devDependencies').map(({ key }) => String((key as Node).value))
  return new Set(names.map((name) => name.replace(/^@[^/]+\//, '')))
}

/** The members of one of a manifest's objects; none if it is not there, or the manifest cannot be read. */
function manifestMembers(text: string, name: string): readonly Node[] {
  try {
    const manifest = parseExpression(text) as unknown as Node
    const found = nodesIn(manifest.properties).find(({ key }) => (key as Node).value === name)
    return nodesIn((found?.value as Node | undefined)?.properties)
  } catch {
    // The package manager reports it.
    return []
  }
}

/** The scripts of a manifest, in its order. */
export function scriptsOf(text: string): Script[] {
  return manifestMembers(text, 'scripts').flatMap(({ key, value }) => {
    const command = value as Node
    if (command.type !== 'StringLiteral') return []
    return [
      { name: String((key as Node).value), command: command.value as string, start: command.start, end: command.end },
    ]
  })
}
