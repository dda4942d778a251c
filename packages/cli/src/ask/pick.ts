import { asSecret, renamed, wrongName } from '../lift/adjust.js'
import type { Candidate } from '../lift/finding.js'

type PickAnswer = 'move' | 'rename' | 'secret' | 'skip' | 'stop'

/** Goes through candidates with a person: each is moved as it is, under another name or as a secret, or left. */
export async function pick(
  candidates: readonly Candidate[],
  taken: Iterable<string>,
  describe: (candidate: Candidate) => string,
): Promise<readonly Candidate[]> {
  // Prompts take long to load, and few runs ask anything.
  const [{ default: select }, { default: input }] = await Promise.all([
    import('@inquirer/select'),
    import('@inquirer/input'),
  ])
  const names = new Set([...taken, ...candidates.map(({ name }) => name)])
  const picked: Candidate[] = []
  for (const [at, candidate] of candidates.entries()) {
    process.stdout.write(`\n${describe(candidate)}\n\n`)
    const { name, kind, secret, reach } = candidate
    const answer = await select<PickAnswer>({
      message: `${name}, ${at + 1} of ${candidates.length}`,
      choices: [
        { name: 'Move it', value: 'move' },
        ...(kind === 'variable' ? [] : [{ name: 'Move it under another name', value: 'rename' as const }]),
        ...(secret || reach === 'browser' ? [] : [{ name: 'Move it as a secret', value: 'secret' as const }]),
        { name: 'Leave it in the code', value: 'skip' },
        { name: 'Leave this and all that follow', value: 'stop' },
      ],
      default: candidate.confidence === 'low' ? 'skip' : 'move',
    })
    if (answer === 'stop') break
    if (answer === 'skip') continue
    if (answer === 'rename') {
      const fresh = await input({
        message: 'Its name',
        default: name,
        validate: (given) => given === name || (wrongName(given, names) ?? true),
      })
      names.add(fresh)
      picked.push(renamed(candidate, fresh))
    } else picked.push(answer === 'secret' ? asSecret(candidate) : candidate)
  }
  return picked
}

/** Asks whether to write. */
export async function confirmWrite(question: string): Promise<boolean> {
  const { default: select } = await import('@inquirer/select')
  return select({
    message: question,
    choices: [
      { name: 'Write these changes', value: true },
      { name: 'Write nothing', value: false },
    ],
  })
}
