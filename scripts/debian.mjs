// Programs that the tests and pictures need and npm does not have.
import { spawnSync } from 'node:child_process'

/**
 * Installs what is missing through apt, where that can be used. `programs` gives the package of each program.
 * Returns the programs that are missing all the same.
 */
export function installDebian(programs, alongside = []) {
  const missing = () =>
    Object.keys(programs).filter((name) => spawnSync('sh', ['-c', `command -v ${name}`]).status !== 0)
  const wanted = missing()
  if (wanted.length === 0) return []
  const packages = [...new Set(wanted.map((name) => programs[name])), ...alongside]
  if (process.getuid?.() === 0 && spawnSync('sh', ['-c', 'command -v apt-get']).status === 0) {
    process.stderr.write(`Installing ${packages.join(', ')} …\n`)
    const options = {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    }
    spawnSync('apt-get', ['update', '-qq'], options)
    spawnSync('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...packages], options)
  }
  return missing()
}
