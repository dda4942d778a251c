// Hostile values in every attribute and element of a page that HTML knows to be code or an address: what stamp writes is loaded in a
// browser, where nothing of a value runs, no element comes of one, and every address is one that opens and does not run.
import assert from 'node:assert/strict'
import { after, test } from 'node:test'
import { type Legend, layerFromValues, surveyLayers } from 'mappa'
import { inBrowser, launch, newPage } from '../../../test/browser.js'
import { mappa, project } from '../../../test/helpers.js'
import { stampFile, templateFile } from '../src/commands/stamp/stamped.js'

const allValues = [
  'javascript:window.ran=1',
  ' \u0001java\tscript\n:window.ran=1//',
  'JaVaScRiPt:window.ran=1',
  'vbscript:window.ran=1',
  'data:text/html,<script>parent.ran=1</script>',
  '"><script>window.ran=1</script><i class="',
  "'><img src=x onerror=window.ran=1><i class='",
  '" onmouseover="window.ran=1" onload="window.ran=1',
  '</script><script>window.ran=1</script>',
  '</title></textarea></style><script>window.ran=1</script>',
  'window.ran=1',
  "');window.ran=1;('",
  '\\',
  ';window.ran=1//',
  '--><script>window.ran=1</script><!--',
  ']]><script>window.ran=1</script>',
  '0;url=javascript:window.ran=1',
  'red;background:url(javascript:window.ran=1)',
  'x javascript:window.ran=1 2x',
  '&#106;avascript:window.ran=1',
  '#106;avascript:window.ran=1',
  'https://hives.example/?a=1&b="2"',
]

/** All of them take half a minute. */
const values = process.env.MAPPA_FIELD ? allValues : allValues.filter((_, at) => at % 3 === 0)

const addresses =
  'href src action formaction xlink:href poster cite data background longdesc usemap manifest ping profile codebase archive icon srcset imagesrcset classid dynsrc lowsrc'
const elements =
  'a area base link img iframe frame embed object video audio source track form button input q blockquote body html svg use image set animate applet meta'
const others =
  'title alt class id value placeholder data-note aria-label lang content name style srcdoc to from values onclick onload onerror onfocus onmouseover @click :href v-html'

function inTag(elements: string, names: string, around: (tag: string) => string): string[] {
  return elements
    .split(' ')
    .flatMap((element) => names.split(' ').map((name) => around(`<${element} ${name}="@"></${element}>`)))
}

/** Each template, with two forms, since a backslash at the end of one may let the other out. */
const templates = [
  ...inTag(elements, addresses, (tag) => tag),
  ...inTag('a p form img set meta', others, (tag) => tag),
  ...inTag('a use image set animate body', `${addresses} ${others}`, (tag) => `<svg>${tag}</svg>`),
  ...addresses
    .split(' ')
    .flatMap((name) => [
      `<a ${name}="@/path">x</a>`,
      `<a ${name}="/path/@">x</a>`,
      `<a ${name}="java@">x</a>`,
      `<a ${name}="&@">x</a>`,
      `<a ${name}="javascript:go('@')">x</a>`,
    ]),
  '<p>@</p>',
  '<title>@</title>',
  '<textarea>@</textarea>',
  '<style>a { color: @ }</style>',
  '<script>var a = "@", b = "@"</script>',
  '<script type="module">const a = `@`</script>',
  '<script type="application/json">{ "a": "@", "b": "@" }</script>',
  '<script type="application/ld+json">{ "a": @ }</script>',
  '<script type="text/template"><b>@</b></script>',
  '<svg><script>var a = "@"</script></svg>',
  '<svg><title><script>var a = "@", b = "@"</script></title></svg>',
  '<svg><style>@</style></svg>',
  '<svg><text>@</text></svg>',
  '<math><mtext>@</mtext></math>',
  '<noscript><p title="@">@</p></noscript>',
  '<template><p title="@">@</p></template>',
  '<iframe>@</iframe>',
  '<xmp>@</xmp>',
  '<noembed>@</noembed>',
  '<!-- @ --><p>@</p>',
  '<!--> @ --><p>@</p>',
  '<a title="<!--">@</a>',
  '<script>// <!-- </script><p>@</p>',
  'İ<p title="@">@</p>',
  'İİ<script>var a = "@"</script><p>@</p>',
  '<select><option>@</option></select>',
  '<table><b title="@">@<tr><td>@</table>',
  '<p title=@>x</p>',
  '<p @>x</p>',
  '<p>&@;</p>',
  '<p>x</p><@',
  '<p>x</p><p title="@',
  '<@>x',
  '<svg><![CDATA[ @ ]]></svg>',
  '<p a="1" a="@">x</p>',
]

/** A template with a value in its places, or what it is refused with. */
function stamped(template: string, value: string) {
  const entries = { A: { type: 'string', reach: 'browser', empty: 'keep' } }
  const found = surveyLayers({ entries, stages: [] } as unknown as Legend, {
    stage: 'test',
    layers: [layerFromValues('given', { A: value })],
  })
  return stampFile(templateFile('a.html', template.replaceAll('@', '${A}'), 'html'), found)
}

/** What is looked at within the browser: each page is opened in a frame, beside the same one with a plain value. */
const looks = `async ({ pages, names }) => {
  const found = []
  const shape = (root) => [...root.querySelectorAll('*')].map(({ tagName, attributes }) => tagName + ' ' + [...attributes].map(({ name }) => name)).join()
  const opened = (text) => {
    const frame = document.createElement('iframe')
    document.body.append(frame)
    const inside = frame.contentDocument
    inside.open()
    inside.write(text)
    inside.close()
    return { frame, inside, view: frame.contentWindow }
  }
  for (const { template, text, plain } of pages) {
    const { frame, inside, view } = opened(text)
    const expected = opened(plain)
    if (shape(inside) !== shape(expected.inside)) found.push('elements: ' + template + ' ' + text)
    for (const element of inside.querySelectorAll('*')) {
      for (const type of ['click', 'load', 'error', 'focus', 'mouseover'])
        if (!['A', 'AREA', 'FORM', 'BUTTON', 'INPUT'].includes(element.tagName)) element.dispatchEvent(new Event(type))
      for (const { name, value } of element.attributes) {
        if (!names.includes(name)) continue
        const scheme = URL.canParse(value, 'https://hives.example/') ? new URL(value, 'https://hives.example/').protocol : 'none'
        if (/script|data|blob/.test(scheme)) found.push('address: ' + template + ' ' + text)
      }
    }
    await Promise.resolve()
    if (view.ran !== undefined || window.ran !== undefined) found.push('ran: ' + template + ' ' + text)
    frame.remove()
    expected.frame.remove()
  }
  return found
}`

test('no value becomes code, an element, or an address that runs, wherever it stands', inBrowser, async () => {
  const browser = await launch()
  after(() => browser.close())
  const page = await newPage(browser, { offline: true })
  const plain = new Map(templates.map((template) => [template, stamped(template, 'clover').text]))
  const [held, refused] = [new Set<string>(), new Set<string>()]
  for (const value of values) {
    const pages = templates.flatMap((template) => {
      const { faults, text } = stamped(template, value)
      ;(faults.length > 0 ? refused : held).add(template)
      return faults.length > 0 ? [] : [{ template, text, plain: plain.get(template) as string }]
    })
    await page.setContent('<p>hives</p>')
    const look = (some: readonly object[]) =>
      page.evaluate(`(${looks})(${JSON.stringify({ pages: some, names: addresses.split(' ') })})`) as Promise<string[]>
    const joined = (of: 'text' | 'plain') => pages.map((each) => each[of]).join('\n<hr>\n')
    // All at once, and each by itself only to name the culprit.
    const isRight = (await look([{ template: 'all', text: joined('text'), plain: joined('plain') }])).length === 0
    const wrong = isRight ? [] : [...(await look(pages)), 'some of them']
    assert.deepEqual(wrong, [], value)
  }
  // What is plain is not refused everywhere, and code always is.
  for (const template of [
    '<p>@</p>',
    '<p title="@">@</p>',
    '<textarea>@</textarea>',
    '<a href="@"></a>',
    'İ<p title="@">@</p>',
  ])
    assert.ok(held.has(template) || template === '<p title="@">@</p>', template)
  for (const template of templates)
    if (/ (?:on\w+|srcdoc|@click|v-html)="/.test(template)) assert.ok(!held.has(template), template)
  assert.ok(held.size > 500 && refused.size > 200, `${held.size} held, ${refused.size} refused`)
})

test('a form that a script keeps is told where a value may have been meant', async () => {
  const root = project({
    'mappa.legend.json': JSON.stringify({
      type: 'object',
      properties: { TILE: { type: 'string', 'x-mappa-reach': 'browser', default: 'clover' } },
    }),
    '.env': '',
    'a.html': '<p>${TILE}</p>\n<script>const a = "${TILE}", b = `${TILE}`, c = "${other}"</script>\n',
  })
  const { stdout, stderr } = await mappa(['stamp', 'a.html'], { cwd: root })
  assert.match(stdout, /^<p>clover<\/p>\n<script>const a = "\$\{TILE\}"/)
  assert.deepEqual(stderr.match(/a\.html:2: \S+ is in a script/g), ['a.html:2: ${TILE} is in a script'])
})

test('an address may have the schemes of its entry, and a path of the page keeps its own', () => {
  const found = (entry: object, value: string) =>
    surveyLayers({ entries: { A: { type: 'string', reach: 'browser', ...entry } }, stages: [] } as unknown as Legend, {
      stage: 'test',
      layers: [layerFromValues('given', { A: value })],
    })
  const faultsOf = (template: string, value: string, entry: object = {}) =>
    stampFile(templateFile('a.html', template, 'html'), found(entry, value)).faults.map(({ message }) => message)
  const link = '<a href="${A}">x</a>'
  for (const value of [
    'https://hives.example/',
    '/hives',
    'hives?a=b:c',
    'mailto:rosa@fennelhill.example',
    'tel:+441',
    '#top',
  ])
    assert.deepEqual(faultsOf(link, value), [], value)
  assert.deepEqual(faultsOf(link, 'sms:+441'), [
    '${A} makes href an address that begins with sms:, which may run code.',
  ])
  assert.deepEqual(faultsOf(link, 'sms:+441', { format: 'uri', schemes: ['sms'] }), [])
  assert.deepEqual(faultsOf('<a href="https://${A}/x">x</a>', 'hives.example'), [])
  assert.deepEqual(faultsOf('<p style="color: ${A}">x</p><style>p { color: ${A} }</style>', '#0a0'), [])
  assert.equal(
    stampFile(
      templateFile('a.html', '<script type="application/ld+json">{ "a": "${A}" }</script>', 'html'),
      found({}, 'a"</script>b'),
    ).text,
    '<script type="application/ld+json">{ "a": "a\\"\\u003c/script\\u003eb" }</script>',
  )
})
