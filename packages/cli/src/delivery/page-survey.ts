import { entriesOf, type Fault, fixedAt, type Legend, reachesBrowser, type Survey } from 'mappa'
import { heldTo } from 'mappa/command'
import { type ProjectOptions, type SoundProject, surveyProject } from '../project/project.js'

/** A stage's settings as far as pages have them; servers get theirs where they start. */
export async function pageSurvey(project: SoundProject, options: ProjectOptions): Promise<Survey> {
  const definition = heldTo(project.definition, reachesBrowser)
  const { found } = await surveyProject({ ...project, definition }, { ...options, givenElsewhere: true })
  return found
}

/** Faults of what is to go elsewhere: a value of only this machine must not get into it. */
export function faultsElsewhere({ faults, notices }: Survey): Fault[] {
  const local = notices.flatMap((notice) =>
    notice.kind === 'hidden-by-local' ? [{ ...notice, kind: notice.kind }] : [],
  )
  return [...faults, ...local]
}

/** Variables that pages have, by when their values are fixed. */
export function pageNames(definition: Legend, when: 'build' | 'start'): string[] {
  return Object.entries(entriesOf(definition)).flatMap(([name, entry]) =>
    reachesBrowser(entry) && fixedAt(entry) === when ? [name] : [],
  )
}
