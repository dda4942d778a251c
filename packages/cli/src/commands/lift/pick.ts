import type { Candidate } from '../../guess/finding.js'
import { asSecret, renamed, wrongName } from '../../lift/adjust.js'
import { choose, typed } from '../../terminal/ask.js'
import { output } from '../../terminal/terminal.js'

type PickAnswer = 'move' | 'rename' | 'secret' | 'skip' | 'stop'

/** Goes through candidates with a person: each is moved as it is, under another name or as a secret, or left. */
export async function pick(
  candidates: readonly Candidate[],
  taken: Iterable<string>,
  describe: (candidate: Candidate) => string,
): Promise<readonly Candidate[]> {
  const names = new Set([...taken, ...candidates.map(({ name }) => name)])
  const picked: Candidate[] = []
  for (const [at, candidate] of candidates.entries()) {
    output().write(`\n${describe(candidate)}\n\n`)
    const { name, kind, secret, reach } = candidate
    const answer = await choose<PickAnswer>(
      `${name}, ${at + 1} of ${candidates.length}`,
      [
        { name: 'Move it', value: 'move' },
        ...(kind === 'variable' ? [] : [{ name: 'Move it under another name', value: 'rename' as const }]),
        ...(secret || reach === 'browser' ? [] : [{ name: 'Move it as a secret', value: 'secret' as const }]),
        { name: 'Leave it in the code', value: 'skip' },
        { name: 'Leave this and the rest', value: 'stop' },
      ],
      { usual: candidate.confidence === 'low' ? 'skip' : 'move' },
    )
    if (answer === 'stop') break
    if (answer === 'skip') continue
    if (answer === 'rename') {
      const fresh = await typed('Its name', {
        usual: name,
        wrong: (given) => (given === name ? undefined : wrongName(given, names)),
      })
      names.add(fresh)
      picked.push(renamed(candidate, fresh))
    } else picked.push(answer === 'secret' ? asSecret(candidate) : candidate)
  }
  return picked
}
