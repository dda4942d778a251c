// The pages of docs/ that are made from the results of npm run field.

const columns = {
  core: '`mappa`',
  node: '`mappa/node`',
  required: 'by `require`',
  typed: 'a legend in TypeScript, as it is',
  preload: '`mappa/preload`',
}

/** docs/runtimes.md, of the rows that `tryRuntimes` gives. */
export function runtimesPage({ date, rows }) {
  const names = Object.keys(columns)
  return [
    '# Where settings run',
    '',
    `Written by \`npm run field\` on ${date}, which tries each cell: a typed and masked reading of two layers and a secret. The core takes layers that`,
    'the caller gives; `mappa/node` and the preload read those of the machine.',
    '',
    `| | ${Object.values(columns).join(' | ')} |`,
    `| --- | ${names.map(() => '---').join(' | ')} |`,
    ...rows.map(({ name, cells }) => `| ${name} | ${names.map((column) => cells[column] ?? '–').join(' | ')} |`),
    '',
    ...rows.flatMap(({ name, how }) => (how ? [`${name.split(' ')[0]}: ${how}`, ''] : [])),
    'Node before 22.18 takes no types away by itself: there a legend in TypeScript is compiled with the program, or `mappa with`, `mappa emit --as legend` or a builder does it.',
    '',
  ].join('\n')
}

/** The table of published applications in docs/witness.md, of the rows that `tryApplications` gives. */
export function applicationsTable({ rows }) {
  return [
    '| application | version | prints, answers and exits as before | names seen |',
    '| --- | --- | --- | --- |',
    ...rows.map(({ name, version, isSame, names }) => `| ${name} | ${version} | ${isSame ? 'yes' : 'no'} | ${names} |`),
    '',
  ].join('\n')
}

/** The table of published applications in docs/starts.md, of the rows that `tryStarters` gives. */
export function startersTable({ rows }) {
  return [
    '| application | version | starts | reads compared | not known | told otherwise | without its loader | secrets moved by init | values changed by it |',
    '| --- | --- | --- | --- | --- | --- | --- | --- | --- |',
    ...rows.map(({ name, version, starts, reads, unknown, wrong, red, init }) => {
      const moved = init === undefined ? ['–', '–'] : [init.moved, init.differs.length]
      return `| ${[name, version, starts, reads, unknown, wrong.length, red ? 'told' : 'not known', ...moved].join(' | ')} |`
    }),
    '',
  ].join('\n')
}

/** The table of published applications in docs/lift.md, of the rows that `tryLifted` gives. */
export function liftedTable({ rows }) {
  return [
    '| application | version | settings moved | starts that live | starts that differ |',
    '| --- | --- | --- | --- | --- |',
    ...rows.map(
      ({ name, version, moved, lives, differs }) =>
        `| ${[name, version, moved, moved === 0 ? '–' : lives, moved === 0 ? '–' : differs.length].join(' | ')} |`,
    ),
    '',
  ].join('\n')
}

/** Readers of one column, since they agree in every row. */
const columnsOfReaders = {
  'a shell': ['dash', 'bash'],
  'Node 20': ['Node 20'],
  'Node 22, 24': ['Node 22', 'Node 24'],
  'Vite 7': ['Vite 7'],
  'Vite 8': ['Vite 8'],
  Compose: ['Docker Compose 1.29'],
  'service manager': ['systemd'],
  'container `--env-file`': ['docker --env-file'],
}

/** The table of other readers in docs/format.md, of the rows that `readRows` gives. */
export function readersTable({ rows }) {
  const names = Object.keys(columnsOfReaders)
  return [
    `| written | Mappa | ${names.join(' | ')} |`,
    `| --- | --- | ${names.map(() => '---').join(' | ')} |`,
    ...rows.map(({ text, ours, cells }) => {
      const own = names.map((name) => {
        const all = columnsOfReaders[name].map((reader) => cellText(cells[reader], ours, name))
        return [...new Set(all)].join(' or ')
      })
      return `| ${code(text)} | ${code(ours)} | ${own.join(' | ')} |`
    }),
    '',
  ].join('\n')
}

function cellText(answer, ours, column) {
  if (answer === undefined) return '–'
  // A shell runs a command there, or gives up.
  if (answer === null) return column === 'a shell' ? 'a command' : 'refuses'
  if (answer.HIVE_A === undefined) return 'nothing'
  return answer.HIVE_A === ours ? '=' : code(answer.HIVE_A)
}

function code(text) {
  if (text === undefined) return 'a fault'
  if (text === '') return 'empty'
  const shown = text
    .replaceAll('HIVE_', '')
    .replaceAll('\ufeff', '⟨BOM⟩')
    .replaceAll('\r\n', '⟨CRLF⟩')
    .replaceAll('\n', '⏎')
    .replaceAll('\r', '⟨CR⟩')
    .replaceAll('|', '\\|')
  return shown.includes('`') ? `\`\` ${shown} \`\`` : `\`${shown}\``
}
