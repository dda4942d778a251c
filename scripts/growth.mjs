// How the time of commands grows with what a hostile or a made file may hold: every token of every grammar that they read, again and
// again. node scripts/growth.mjs [FILTER] [MiB,MiB,…]; npm run bench shows all of it with 1, 2 and 4 MiB.
import { execFileSync, spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { top } from './built.mjs'

const mib = 1024 * 1024
/** A command that takes longer counts as one that hangs. Milliseconds. */
const hangMax = 30_000

/** A token again and again, up to a number of bytes; `#` becomes a number of its own. */
const repeated = (token, bytes) =>
  token.includes('#')
    ? Array.from({ length: Math.ceil(bytes / (token.length + 4)) }, (_, at) => token.replaceAll('#', String(at))).join(
        '',
      )
    : token.repeat(Math.ceil(bytes / token.length))

/** For each grammar: the file, the command that reads it, what stands around, its tokens, and the share of the size that it gets. */
const grammars = {
  page: {
    file: 'p.html',
    line: 'stamp p.html',
    around: (text) => `<p title="\${PAGE}">\${PAGE}</p>${text}`,
    tokens: [
      ...[
        '<a ',
        '<a\n',
        '<a b="',
        "<a b='",
        '</a',
        '<!--',
        '-->',
        '<![CDATA[',
        '<!',
        '<?',
        '&amp',
        '<script>',
        '</script',
        '<style>',
        '<title>',
      ],
      ...[
        '<svg>',
        '<table><a>',
        '<b><i></b>',
        '<div>',
        '<p a="${PAGE}">',
        '${PAGE}',
        '\\${',
        '${NONE}',
        '${PAGE:-',
        '<p a#="x" ',
        '<select><option>',
      ],
    ],
  },
  yaml: {
    file: 'p.yaml',
    line: 'stamp p.yaml',
    share: 1 / 4,
    around: (text) => text,
    tokens: [
      '- a: ${PAGE}\n',
      'k#: ${PAGE}\n',
      '- |\n  ${PAGE}\n',
      '# ${PAGE}\n',
      '---\n',
      '[',
      '- ',
      '"${PAGE}"\n',
      '&a *a ',
      '? ',
    ],
  },
  json: {
    file: 'p.json',
    line: 'stamp p.json',
    around: (text) => text,
    tokens: ['[', '"${PAGE}",', '{"a":', '\\"', '"', '${PAGE} '],
  },
  layer: {
    file: '.env',
    line: 'check',
    around: (text) => `PAGE=x\n${text}`,
    tokens: [
      ...[
        "A='\n",
        'A="\n',
        '${',
        '$a ',
        'A#=',
        'A#=${A#}\n',
        'A=\n',
        '#',
        '\\',
        '`',
        '=',
        'export ',
        'a://b:ccc@',
        '?token=',
        'Bearer ',
        'eyJaaaaaaaa.',
        '-----BEGIN ',
      ],
    ],
  },
  legend: {
    file: 'mappa.legend.json',
    line: 'check',
    around: (text) =>
      `{"type":"object","properties":{"PAGE":{"type":"string","x-mappa-reach":"browser","default":"x"}${text}}}`,
    tokens: [
      ',"N#":{"type":"string","default":"x"}',
      ',"N#":{"type":"string","default":"x","x-mappa-as":"a.b#"}',
      ',"N#":{"type":"string","x-mappa-formerly":["O#"],"default":"x"}',
    ],
  },
  list: { file: '.env', line: 'list', around: (text) => `PAGE=x\n${text}`, tokens: ['NAME_#=x\n'] },
  script: {
    file: 'a.js',
    line: 'lift',
    share: 1 / 4,
    around: (text) => text,
    tokens: [
      "f(process.env.A_KEY || 'x1')\n",
      "const a# = process.env.N_# || 'x'\n",
      '(',
      '[',
      '{',
      '`${',
      '/*',
      "'",
      'a.',
      'if (a) ',
      "fetch('https://a.example/#')\n",
    ],
  },
  python: {
    file: 'a.py',
    line: 'lift',
    share: 1 / 4,
    around: (text) => text,
    tokens: ["x = os.environ['A_KEY']\n", "x# = os.environ.get('N_#', 'http://a.example')\n", '"""', '(', '#\n'],
  },
  guarded: {
    file: 'a.txt',
    line: 'guard --paths a.txt',
    around: (text) => text,
    tokens: [
      ...[
        'a://b:ccc@',
        'password=',
        "password='a1b2c3d4e5",
        'sms_live_x9',
        '-----BEGIN ',
        'eyJ',
        'eyJaaaaaaaa.',
        'api_key: "a8f3k2m9x7q1"\n',
        'Bearer ',
        'new A(',
        "auth('",
        'ab_',
      ],
      ...['--user a:', '-u ', 'https://hook/', '"name": "A_KEY", ', 'value: ', 'AKIA', '<', 'a.', '='],
    ],
  },
  accepted: {
    file: 'mappa.accepted.json',
    line: 'guard --paths a.txt',
    share: 1 / 4,
    around: (text) => JSON.stringify([{ path: text, because: 'x', until: '2030-01-01' }]),
    tokens: ['*a', '**', '*.'],
  },
}
const base = {
  'mappa.legend.json': grammars.legend.around(''),
  '.env': 'PAGE=x\n',
  'a.txt': 'password="honeycomb-42"\n',
  '.gitignore': '.env.local\n.env.*.local\n',
}

/** Shows the times of each token, and how they grow; returns the ones that grow faster than twice and a half with twice as much. */
export function growth(filter = '', sizes = [1, 2, 4]) {
  const steep = []
  for (const [name, { file, line, around, tokens, share = 1 }] of Object.entries(grammars))
    for (const token of tokens) {
      const what = `${name} ${JSON.stringify(token)}`
      if (!what.includes(filter)) continue
      const times = sizes.map((size) => timed(file, line, around(repeated(token, size * share * mib))))
      const grows = times.slice(1).map((time, at) => time / times[at])
      if (times.some((time) => time >= hangMax) || grows.every((each) => each > 2.5)) steep.push(what)
      const shown = times.map((time) => (time >= hangMax ? ' hangs' : String(Math.round(time)).padStart(6))).join('')
      console.log(`  ${what.padEnd(60)} ${shown}   ${grows.map((each) => `${each.toFixed(1)} ×`).join(', ')}`)
    }
  return steep
}

function timed(file, line, text) {
  const root = mkdtempSync(join(tmpdir(), 'mappa-growth-'))
  try {
    for (const [path, content] of Object.entries({ ...base, [file]: text })) {
      mkdirSync(dirname(join(root, path)), { recursive: true })
      writeFileSync(join(root, path), content)
    }
    execFileSync('git', ['init', '-q'], { cwd: root })
    const start = performance.now()
    spawnSync(process.execPath, [join(top, 'packages/cli/bin/mappa.js'), ...line.split(' ')], {
      cwd: root,
      stdio: 'ignore',
      timeout: hangMax,
    })
    return performance.now() - start
  } finally {
    rmSync(root, { recursive: true })
  }
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const steep = growth(process.argv[2], process.argv[3]?.split(',').map(Number))
  console.log(steep.length === 0 ? 'All grow with what they read.' : `Too steep: ${steep.join(', ')}`)
}
