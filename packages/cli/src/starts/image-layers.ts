import type { Notice } from 'mappa'
import { ignoringLine, imageIn, isCopied } from './image.js'
import { Runner } from './run-through.js'
import type { StartFiles } from './start.js'
import { startsOf } from './start-list.js'
import { stageOfStart } from './told.js'

/**
 * Layer files that an image lacks although its start reads layers, with the names that only they give. `given` has those names
 * by file, for one stage.
 */
export function notInImage(
  files: StartFiles,
  stage: string,
  stages: readonly string[],
  given: ReadonlyMap<string, readonly string[]>,
): readonly Notice[] {
  // Tests run beside an image, unless it says that it runs them.
  const isTest = stage === 'test'
  const runner = new Runner(files)
  const told = new Set<string>()
  return startsOf(files).flatMap((start): Notice[] => {
    const { image: path, program } = start
    if (path === undefined || told.has(path)) return []
    if ((stageOfStart(start, stages) ?? (isTest ? undefined : stage)) !== stage) return []
    const { settles, unknown } = runner.through(program, new Set())
    const isReading = settles || program.loads.some(({ kind }) => kind === 'mappa')
    const text = files.read(path) ?? ''
    const image = imageIn(text)
    if (!isReading || unknown !== undefined || !image) return []
    told.add(path)
    const lacking = [...given].filter(([file]) => !isCopied(image, file))
    const ignoreFile = [`${path}.dockerignore`, '.dockerignore'].find((each) => files.read(each) !== undefined)
    const ignored = [...given].flatMap(([file, names]) => {
      const line = ignoreFile === undefined ? undefined : ignoringLine(files.read(ignoreFile) ?? '', file)
      return line === undefined || !isCopied(image, file) ? [] : [{ file, names, line }]
    })
    return [
      ...(lacking.length > 0
        ? [
            {
              kind: 'not-in-image' as const,
              message: `The image of ${path} does not contain ${lacking.map(([file]) => file).join(' and ')}, which ${lacking.length === 1 ? 'gives' : 'give'} ${lacking.flatMap(([, names]) => names).join(', ')} in stage ${stage}.`,
              place: start.place,
              remedy: `Write: COPY ${lacking.map(([file]) => file).join(' ')} ./`,
            },
          ]
        : []),
      ...ignored.map(({ file, names, line }) => ({
        kind: 'not-in-image' as const,
        message: `The image of ${path} does not contain ${file}, which gives ${names.join(', ')} in stage ${stage}: ${ignoreFile} leaves it out.`,
        place: { file: ignoreFile ?? '', line, column: 1, endColumn: 2 },
        remedy: `Write behind that line: !${file}`,
      })),
    ]
  })
}
