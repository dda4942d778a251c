// Whatever pages, archives and commits hold: no value becomes an element, and no secret is passed over in silence. Each run takes
// other ones, and prints its seed where it fails; MAPPA_FIELD=1 takes many more.
import assert from 'node:assert/strict'
import { spawnSync } from 'node:child_process'
import { mkdirSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import test from 'node:test'
import { brotliCompressSync, gzipSync } from 'node:zlib'
import fc from 'fast-check'
import { type Legend, layerFromValues, surveyLayers } from 'mappa'
import { packTar } from 'modern-tar'
import { parse } from 'parse5'
import { environment, mappa, project } from '../../../test/helpers.js'
import { zipOf } from '../../../test/zip.js'
import { contentsOf } from '../src/commands/guard/contents.js'
import { secretsOf } from '../src/commands/guard/known-secrets.js'
import { heldIn } from '../src/commands/guard/searched.js'
import { stampFile, templateFile } from '../src/commands/stamp/stamped.js'

const share = process.env.MAPPA_FIELD ? 50 : 1
const secret = 'Qz7-heather-lime-bramble'

const markup = fc
  .array(
    fc.constantFrom(
      ...['<p>', '</p>', '<p title="@">', "<i class='@'>", '<a href="@">', '<a href="/x/@">', '<script>', '</script>'],
      ...[
        '<style>',
        '</style>',
        '<title>',
        '</title>',
        '<svg>',
        '</svg>',
        '<template>',
        '</template>',
        '<table>',
        '<tr>',
      ],
      ...[
        '<!--',
        '-->',
        '--!>',
        '<![CDATA[',
        ']]>',
        '<textarea>',
        '</textarea>',
        '<select>',
        '<noscript>',
        '</noscript>',
      ],
      ...[
        '@',
        '@',
        '@',
        ' ',
        '"',
        "'",
        '<',
        '>',
        '&',
        '=',
        '/',
        '\\',
        'İ',
        '\n',
        '<math>',
        '<mtext>',
        '<?',
        '<b',
        '<input value="@">',
      ],
      ...['<script type="application/json">"@"</script>', '<svg><script>', '<div @ ', 'x="', '<iframe>', '<plaintext>'],
    ),
    { maxLength: 14 },
  )
  .map((parts) => parts.join(''))
const hostile = fc
  .array(
    fc.constantFrom(
      ...['<', '>', '"', "'", '&', '/', '\\', '`', '=', ' ', '\n', 'x', '-->', '</script>', '<b>', '</title>', ']]>'],
      ...['javascript:', ' onload=', '${A}', '{{', '&quot;', '</style>', '<!--', 'İ', '\u2028', '\r'],
    ),
    { minLength: 1, maxLength: 6 },
  )
  .map((parts) => parts.join(''))
  // A page drops blanks in front of its first text.
  .filter((value) => value !== '' && value === value.trim())

interface PageNode {
  readonly nodeName: string
  readonly value?: string
  readonly attrs?: readonly { readonly name: string; readonly value: string }[]
  readonly childNodes?: readonly PageNode[]
  readonly content?: PageNode
}

/** What stands in noscript is read as it is, with scripts. */
const plainly = { scriptingEnabled: false }

/** The elements of a page with their attributes and texts; `shown` gives what a text has become. A script keeps its own forms. */
function contentOf(node: PageNode, shown: (text: string) => string): string {
  const isScript = node.nodeName === 'script'
  // Data and styles are written in ways of their own.
  if (node.nodeName === 'style' || (isScript && node.attrs?.some(({ name }) => name === 'type'))) return ''
  const inside = [...(node.content ? [node.content] : []), ...(node.childNodes ?? [])]
  const ownOf = ({ nodeName }: PageNode) => (isScript && nodeName === '#text' ? (text: string) => text : shown)
  const attrs = (node.attrs ?? []).map(({ name, value }) => `${name}=${shown(value)}`)
  return `<${node.nodeName} ${attrs.join(' ')}>${shown(node.value ?? '')}${inside.map((each) => contentOf(each, ownOf(each))).join('')}</>`
}

test('whatever a page and a value are, the page shows the value as it is in the place of its form, or it is refused', () => {
  const survey = (value: string) =>
    surveyLayers({ entries: { A: { type: 'string', reach: 'browser' } }, stages: [] } as unknown as Legend, {
      stage: 'test',
      layers: [layerFromValues('given', { A: value })],
    })
  let stamped = 0
  fc.assert(
    fc.property(markup, hostile, (text, value) => {
      const template = templateFile('a.html', text.replaceAll('@', '${A}'), 'html')
      const [made, plain] = [value, 'clover'].map((each) => stampFile(template, survey(each)))
      if (!made || !plain || made.faults.length > 0 || plain.faults.length > 0) return
      stamped++
      const expected = contentOf(parse(plain.text, plainly) as PageNode, (each) =>
        each.replaceAll('clover', () => value),
      )
      assert.equal(
        contentOf(parse(made.text, plainly) as PageNode, (each) => each),
        expected,
        made.text,
      )
    }),
    { numRuns: 1500 * share },
  )
  assert.ok(stamped > 200 * share, `only ${stamped} were stamped`)
})

/** Ways to pack a file; and to damage what is packed, after which it may not be passed over. */
const packings: Readonly<Record<string, (name: string, bytes: Buffer) => Promise<Buffer>>> = {
  gz: async (_, bytes) => gzipSync(bytes),
  br: async (_, bytes) => brotliCompressSync(bytes),
  tar: async (name, bytes) => Buffer.from(await packTar([{ header: { name, size: bytes.length }, body: bytes }])),
  zip: async (name, bytes) => zipOf(name, bytes),
}
const damages: Readonly<Record<string, (bytes: Buffer, at: number) => Buffer>> = {
  nothing: (bytes) => bytes,
  'its end cut off': (bytes, at) => bytes.subarray(0, Math.max(1, Math.floor(bytes.length * at))),
  'junk behind it': (bytes) => Buffer.concat([bytes, Buffer.from('junk')]),
}

test('whatever an archive is made of, its secret is found, or what was not looked into is said', async () => {
  const secrets = secretsOf({ entries: { KEY: { type: 'string', secret: true } }, stages: [] } as unknown as Legend, [
    layerFromValues('given', { KEY: secret }),
  ])
  const folder = project({})
  const chain = fc.array(fc.constantFrom(...Object.keys(packings)), { minLength: 1, maxLength: 4 })
  const damage = fc.constantFrom(...Object.keys(damages))
  await fc.assert(
    fc.asyncProperty(chain, damage, fc.double({ min: 0.3, max: 0.98, noNaN: true }), async (kinds, how, at) => {
      let [name, bytes]: [string, Buffer] = ['notes.txt', Buffer.from(`${'hive '.repeat(300)}\nkey: ${secret}\n`)]
      for (const kind of kinds) {
        bytes = (await packings[kind]?.(name, bytes)) as Buffer
        name = `${name}.${kind}`
      }
      const file = join(folder, name)
      writeFileSync(file, damages[how]?.(bytes, at) as Buffer)
      let [isFound, isTold] = [false, false]
      for await (const { path, bytes: piece, unread } of contentsOf(file)) {
        isTold ||= unread !== undefined
        isFound ||= heldIn(path, piece, secrets).some(({ name: own }) => own === 'KEY')
      }
      assert.ok(isFound || isTold, `${name} with ${how} (${at})`)
      if (how === 'nothing') assert.deepEqual([isFound, isTold], [true, false], name)
    }),
    { numRuns: 60 * share },
  )
})

/** Names of files that git, a patch or a terminal may take for something else. */
const fileName = fc
  .array(
    fc.constantFrom(
      ...[
        'a',
        'b/',
        'é',
        '"',
        "'",
        ' ',
        '\t',
        '\\',
        '\n',
        '-',
        '+++ b',
        '@@',
        ':',
        '*',
        '$(x)',
        '.png',
        ' › ',
      ].values(),
    ),
    { minLength: 1, maxLength: 4 },
  )
  .map((parts) => `x${parts.join('')}x`)
const content = fc.constantFrom(
  `key = ${secret}\n`,
  `\0\0${secret}\0`,
  `--- a/x\n+++ b/y\n@@ -1 +1 @@\n+${secret}`,
  `${'long '.repeat(30_000)}${secret}\n`,
  Buffer.from(`the key is ${secret}\n`, 'utf16le'),
  gzipSync(`the key is ${secret}\n`),
)

test('whatever files are called and are for git, a staged secret is found in each', async () => {
  const files = fc.uniqueArray(fc.tuple(fileName, content), {
    minLength: 8,
    maxLength: 8,
    // A name that is a folder for another one cannot be both.
    selector: ([name]) => name.split('/')[0],
  })
  await fc.assert(
    fc.asyncProperty(
      files,
      fc.constantFrom('', '* -diff\n', '* binary\n', '* text eol=crlf\n'),
      async (given, attributes) => {
        const root = project({
          'mappa.legend.json':
            '{ "type": "object", "properties": { "KEY": { "type": "string", "x-mappa-secret": true } } }',
          '.env.local': `KEY=${secret}\n`,
          '.gitignore': '.env.local\n.env.*.local\n',
          '.gitattributes': attributes,
        })
        for (const [name, text] of given) {
          mkdirSync(dirname(join(root, name)), { recursive: true })
          writeFileSync(join(root, name), text)
        }
        const env = { ...environment(), GIT_CONFIG_GLOBAL: '/dev/null' }
        const git = (...args: readonly string[]) => spawnSync('git', args, { cwd: root, env, encoding: 'utf8' })
        git('init', '-q')
        const { status, stderr } = git('add', '-A')
        assert.equal(status, 0, stderr)
        for (const way of [['--staged'], ['--no-history']]) {
          const { stdout } = await mappa(['guard', ...way, '--json'], { cwd: root })
          assert.ok(!stdout.includes(secret))
          const found = JSON.parse(stdout).faults.map(({ place }: { place?: { file: string } }) => place?.file)
          const missed = given.filter(
            ([name]) => !found.some((each?: string) => each === name || each?.startsWith(`${name} › `)),
          )
          assert.deepEqual(
            missed.map(([name]) => name),
            [],
            `${way}`,
          )
        }
      },
    ),
    { numRuns: 2 * share },
  )
})
