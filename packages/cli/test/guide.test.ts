// The guide as a person uses it: the page in a real browser, and Markdown that holds whatever a legend may say.
import assert from 'node:assert/strict'
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { pathToFileURL } from 'node:url'
import { inBrowser, launch, newPage } from '../../../test/browser.js'
import { mappa, project } from '../../../test/helpers.js'

const files = {
  'package.json': '{ "name": "scales & <co>" }',
  'mappa.legend.mjs': `import { legend } from 'mappa/legend'
export default legend({
  SCALE_PORT: { type: 'port', default: 4100, as: 'scale.port', description: 'Where scales <b>report</b>' },
  /** Not this one. */
  // Nor this.
  /**
   * How scales
   * are *built*
   * @see nothing
   */
  SCALE_FORM: { type: 'string', pattern: '^(a|b)*\`x\`$', as: 'scale.form', examples: ['a|b'], optional: true },
  ALERT_TOKEN: { type: 'string', secret: true, as: 'alert.token', obtain: 'https://wiki.fennelhill.example/a?b="c"&d=<e>' },
  search: { type: 'string', optional: true },
  LOG_LEVEL: { type: 'string', enum: ['debug', 'info'], stages: { production: { default: 'info' } } },
})
`,
}

test(
  'the page searches, changes its look, prints everything, needs nothing from elsewhere and shows texts as texts',
  inBrowser,
  async () => {
    const root = project(files)
    const { stdout, code } = await mappa(['guide', '--as', 'html'], { cwd: root })
    assert.equal(code, 0)
    const file = join(root, 'guide.html')
    writeFileSync(file, stdout)
    const browser = await launch()
    try {
      const page = await newPage(browser, { viewport: { width: 1280, height: 800 }, colorScheme: 'light' })
      const asked: string[] = []
      const errors: string[] = []
      page.on('request', (request) => asked.push(request.url()))
      page.on('pageerror', (error) => errors.push(error.message))
      await page.goto(pathToFileURL(file).href)
      const shown = () => page.locator('article:visible h3 code').allInnerTexts()
      const all = ['SCALE_PORT', 'SCALE_FORM', 'ALERT_TOKEN', 'search', 'LOG_LEVEL']
      const paper = () => page.evaluate('getComputedStyle(document.body).backgroundColor')
      assert.equal(await page.title(), 'Settings of scales & <co>')
      assert.deepEqual(await shown(), all)
      assert.equal(await page.locator('#SCALE_PORT p').innerText(), 'Where scales <b>report</b>.')
      assert.equal(
        await page.locator('#ALERT_TOKEN dd a').getAttribute('href'),
        'https://wiki.fennelhill.example/a?b="c"&d=<e>',
      )

      await page.keyboard.press('/')
      await page.keyboard.type('production info')
      assert.deepEqual(await shown(), ['LOG_LEVEL'])
      assert.equal(await page.locator('#page-count').innerText(), '1 of 5')
      assert.deepEqual(await page.locator('nav li:visible a').allInnerTexts(), ['Other variables'])
      await page.goto(`${pathToFileURL(file).href}#ALERT_TOKEN`)
      assert.ok((await shown()).includes('ALERT_TOKEN'))
      await page.fill('#page-search', 'honey')
      assert.ok(await page.locator('#page-none').isVisible())
      await page.emulateMedia({ media: 'print' })
      await page.evaluate("void dispatchEvent(new Event('beforeprint'))")
      assert.deepEqual(await shown(), all)
      assert.ok(!(await page.locator('#page-search').isVisible()))
      await page.emulateMedia({ media: 'screen' })
      await page.evaluate("void dispatchEvent(new Event('afterprint'))")
      await page.click('#page-clear')
      assert.deepEqual(await shown(), all)

      const light = await paper()
      await page.click('#page-look')
      const dark = await paper()
      assert.notEqual(dark, light)
      // A busy browser may still be keeping what was chosen.
      for (let round = 0; round < 5; round++) {
        await page.reload()
        if ((await paper()) === dark) break
      }
      assert.equal(await paper(), dark)
      await page.emulateMedia({ media: 'print' })
      assert.notEqual(await page.evaluate("getComputedStyle(document.querySelector('article')).backgroundColor"), dark)
      await page.setViewportSize({ width: 360, height: 700 })
      await page.emulateMedia({ media: 'screen' })
      assert.equal(await page.evaluate('document.documentElement.scrollWidth'), 360)
      assert.deepEqual(errors, [])
      assert.deepEqual([...new Set(asked.map((url) => url.split('#')[0]))], [pathToFileURL(file).href])
    } finally {
      await browser.close()
    }
  },
)

test('Markdown shows texts as texts, too', async () => {
  const { stdout } = await mappa(['guide', '--as', 'markdown'], { cwd: project(files) })
  for (const line of [
    '# Settings of scales & \\<co\\>',
    'Where scales \\<b\\>report\\</b\\>.',
    '| Must be | text that matches \\^(a\\|b)\\*\\`x\\`$ |',
    '| For example | `a\\|b` |',
    '| In production | default info, optional |',
    'How scales are \\*built\\*.',
    '| Obtain | <https://wiki.fennelhill.example/a?b="c"&d=%3Ce%3E> |',
  ])
    assert.ok(stdout.split('\n').includes(line), `${line}\n${stdout}`)
})
