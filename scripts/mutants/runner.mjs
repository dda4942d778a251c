// What `npm run mutants` has the mutation tester run tests with: its own runner, which tells nothing of what the tests reach. They
// start other processes, of which it knows nothing, and it would leave out what only those reach.
import { declareFactoryPlugin, PluginKind } from '@stryker-mutator/api/plugin'
import { createTapTestRunnerFactory } from '@stryker-mutator/tap-runner'

const create = createTapTestRunnerFactory()
createRunner.inject = create.inject
export const strykerPlugins = [declareFactoryPlugin(PluginKind.TestRunner, 'whole', createRunner)]

function createRunner(injector) {
  const runner = create(injector)
  const dryRun = runner.dryRun.bind(runner)
  return Object.assign(runner, {
    async dryRun(options) {
      const { mutantCoverage, ...result } = await dryRun(options)
      return result
    },
  })
}
