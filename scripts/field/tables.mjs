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
