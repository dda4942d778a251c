import { scriptsOf } from './manifest.js'
import { programsOf } from './programs.js'
import type { Outer, Program, Start, StartFiles } from './start.js'
import { type StartWay, waysOf } from './ways.js'

/** The starts of a project: each program that one of its ways runs. A script that only outer starts of others run is judged there, too. */
export function startsOf(files: StartFiles): readonly Start[] {
  const scripts = new Map(scriptsOf(files.read('package.json') ?? '').map(({ name, command }) => [name, command]))
  const ways = waysOf(files)
  const ran = ways.map((way) => ({ way, programs: programsIn(way, scripts, files) }))
  // A script that an image or a platform runs gets what that gives; jobs run scripts that people run, too.
  const elsewhere = new Set(
    ran.flatMap(({ way, programs }) =>
      way.outer === 'elsewhere' && way.form !== 'job' ? programs.flatMap(({ scripts: through }) => through) : [],
    ),
  )
  const built = new Set(ways.flatMap(({ form, image }) => (form === 'container' && image !== undefined ? [image] : [])))
  const own = new Map(ran.flatMap(({ way, programs }) => (way.script === undefined ? [] : [[way.script, programs]])))
  const inner = new Map<string, Program[]>()
  // A script that an image runs is started by people, too.
  for (const { way, programs } of ran.filter((each) => each.way.form === 'script'))
    for (const program of programs) {
      const script = program.scripts.at(-1)
      if (script !== undefined && script !== way.script) inner.set(script, [...(inner.get(script) ?? []), program])
    }
  // What another start gives a script is told there; where nothing is added, the script itself tells it.
  const isAsItself = (program: Program) =>
    own.get(program.scripts.at(-1) ?? '')?.some((each) => sceneText(each) === sceneText(program)) ?? false
  return ran.flatMap(({ way, programs }) => {
    // What a container file starts is told there.
    if (way.form === 'image' && built.has(way.image ?? '')) return []
    const around = inner.get(way.script ?? '') ?? []
    if (around.length > 0 && !around.some(isAsItself)) return []
    const isElsewhere = way.script !== undefined && elsewhere.has(way.script)
    const outer: Outer = isElsewhere ? 'elsewhere' : way.outer
    const { name, place, line, command, form, image } = way
    return programs
      .filter((program) => way.script === undefined || program.scripts.length < 2 || !isAsItself(program))
      .map((program): Start => ({ name, place, line, command, form, image, program, outer }))
  })
}

/** What a program is started with, to compare. */
function sceneText({ modules, sets, loads }: Program): string {
  return JSON.stringify([modules, [...sets], loads])
}

function programsIn(way: StartWay, scripts: ReadonlyMap<string, string>, files: StartFiles): readonly Program[] {
  return programsOf(way.command, {
    files,
    scripts,
    folder: way.folder,
    sets: way.sets,
    loads: way.loads,
    through: way.script === undefined ? [] : [way.script],
  })
}
