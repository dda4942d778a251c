import { join } from 'node:path'
import { stagesOf, variablesOf } from 'mappa'
import { isTypeScript } from 'mappa/command'
import { counted } from '../../declared/counted.js'
import {
  declarationPath,
  declarationsFor,
  isDeclaration,
  isForLoaded,
  isStaleDeclaration,
  mapPath,
} from '../../declared/declaration.js'
import { placesIn } from '../../declared/legend-text.js'
import { described } from '../../project/described.js'
import { legendAsRead, telling, textIn, writeMade } from '../../project/made-file.js'
import { openSound, type ProjectOptions } from '../../project/project.js'
import { diffText } from '../../terminal/diff.js'
import { output, talk } from '../../terminal/terminal.js'
import { exitCodes } from '../../terminal/usage-error.js'

/** Options of `mappa types`. */
export interface TypesOptions extends ProjectOptions {
  /** True to say what is stale instead of writing. */
  readonly verify?: boolean
  /** True if every start loads the layers; false if not; as before unless said. */
  readonly loaded?: boolean
}

/** The compiler option that makes undeclared names of `process.env` an error. */
const option = 'noPropertyAccessFromIndexSignature'

/**
 * `mappa types`: declarations of settings, `process.env`, `import.meta.env` and `virtual:mappa/settings` from the legend,
 * and the map by which an editor goes from them to the legend. A map that is stale declares nothing wrong, so `--verify`
 * does not ask for it.
 */
export async function types(options: TypesOptions): Promise<{ exitCode: number; cause?: string | undefined }> {
  const project = await openSound(options, 'Nothing was written.')
  if ('refused' in project) return { exitCode: exitCodes.faults, cause: project.cause }
  const { root, legendFile } = project
  const definition = await described(project)
  const variables = variablesOf(definition)
  return telling(async () => {
    const places = placesIn(legendFile, textIn(root, legendFile) ?? '')
    const before = textIn(root, declarationPath)
    const loaded = options.loaded ?? isForLoaded(before)
    const stages = stagesOf(definition)
    const { text, map } = declarationsFor({ definition, variables, stages, legendFile, loaded }, places)
    // git may have given it other line ends.
    const after = before?.includes('\r\n') ? text.replaceAll('\n', '\r\n') : text
    if (options.verify) return typesVerified(before, after, text)
    if (before !== undefined && !isDeclaration(before)) {
      talk().write(`mappa types did not write ${declarationPath}, so it was not changed. Move it away first.\n`)
      return { exitCode: exitCodes.faults }
    }
    const ended = await writeMade(
      root,
      { path: declarationPath, before, after },
      `Wrote ${declarationPath}: ${counted(variables.length, 'variable')}.`,
      {
        beside: [{ path: join(root, mapPath), text: map, before: textIn(root, mapPath) ?? null }],
        ...legendAsRead(project),
      },
    )
    const config = textIn(root, 'tsconfig.json') ?? ''
    if (before === undefined && /"(?:include|files)"\s*:/.test(config))
      talk().write(`  → Write: "${declarationPath}" in "include" of tsconfig.json\n`)
    if (!new RegExp(`"${option}"\\s*:\\s*true`).test(config))
      talk().write(
        `To make a mistyped process.env name a type error, add "${option}": true to compilerOptions in tsconfig.json.\n`,
      )
    const unknown = variables.filter(({ made }) => made && !isTypeScript(legendFile)).map(({ name }) => name)
    if (unknown.length > 0)
      talk().write(
        `A function returns ${unknown.join(', ')}, so the type is unknown. Write the legend in TypeScript to have it.\n`,
      )
    return ended
  })
}

function typesVerified(before: string | undefined, after: string, fresh: string): { exitCode: number } {
  if (before !== undefined && isDeclaration(before) && !isStaleDeclaration(before, fresh)) {
    output().write(`${declarationPath} is up to date.\n`)
    return { exitCode: exitCodes.fine }
  }
  if (before === undefined) output().write(`No ${declarationPath}.\n  → Run: mappa types\n`)
  else
    output().write(
      `${diffText([{ path: declarationPath, before, after }], [], output())}\n${declarationPath} is stale.\n  → Run: mappa types\n`,
    )
  return { exitCode: exitCodes.faults }
}
