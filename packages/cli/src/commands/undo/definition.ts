import { applied, type CommandDefinition } from '../definition.js'
import type { UndoOptions } from './run.js'

export const undoCommand: CommandDefinition = {
  name: 'undo',
  define(command, run) {
    applied(command.summary("take back the last command's writes"))
      .description(
        'Takes back what the last command that wrote files here has changed. Files that have changed since stay as they are.',
      )
      .addHelpText('after', '\nExample:\n  mappa undo\n  mappa undo --apply')
      .action(async (options: UndoOptions) => {
        const { undo } = await import('./run.js')
        run.finish(await undo(options))
      })
  },
}
