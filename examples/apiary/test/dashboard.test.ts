import assert from 'node:assert/strict'
import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { join } from 'node:path'
import test, { after } from 'node:test'
import type { Browser, Page } from 'playwright-core'
import { inBrowser, launch, newPage } from '../../../test/browser.js'
import { mappa, node, until } from '../../../test/helpers.js'
import { apiary, freePort, vite, whileRunning } from './apiary.js'

let browser: Browser | undefined
after(() => browser?.close())

async function open(url: string, size = { width: 1280, height: 800 }): Promise<{ page: Page; errors: string[] }> {
  browser ??= await launch()
  const page = await newPage(browser, { viewport: size })
  const errors: string[] = []
  page.on('pageerror', (error) => errors.push(error.message))
  await page.goto(url)
  return { page, errors }
}

const edit = (path: string, change: (text: string) => string) => writeFileSync(path, change(readFileSync(path, 'utf8')))

/** A collector with a day of readings, and the page of a stage served beside it. */
async function withPage(
  stage: string,
  served: (root: string, env: Record<string, string>, pagePort: string) => Promise<readonly string[]>,
  look: (url: string, root: string, output: () => string) => Promise<void>,
) {
  const root = apiary()
  const [port, pagePort] = [String(await freePort()), String(await freePort())]
  const env = {
    COLLECTOR_PORT: port,
    COLLECTOR_URL: `http://localhost:${port}`,
    ALLOWED_ORIGINS: `http://localhost:${pagePort}`,
  }
  const server = ['with', stage, '--', 'node', 'collector/dist/server.js']
  await whileRunning(server, { cwd: root, env, ready: 'collector started' }, async () => {
    const season = await node(['collector/season.mjs', env.COLLECTOR_URL, '2026-06-14T17:30Z'], { cwd: root })
    assert.equal(season.stdout, '120 readings of 5 hives sent.\n')
    const args = await served(root, env, pagePort)
    await whileRunning(args, { cwd: join(root, 'dashboard'), env, ready: 'Local:' }, (output) =>
      look(`http://localhost:${pagePort}/`, root, output),
    )
  })
}

const built = (stage: string) => async (root: string, env: Record<string, string>, pagePort: string) => {
  const cwd = join(root, 'dashboard')
  const { code, stderr } = await node(vite('build', '--mode', stage), { cwd, env })
  assert.equal(code, 0, stderr)
  const stamped = await mappa(['stamp', 'dist/index.html', '--stage', stage, '--in-place'], { cwd, env })
  assert.equal(stamped.code, 0, stamped.stderr)
  return vite('preview', '--port', pagePort, '--strictPort', '--host', 'localhost')
}

const pages = [
  { stage: 'staging', note: 'Staging: practice hives, no messages', key: 'tile_test_orchard' },
  { stage: 'production', note: 'Live', key: 'tile_live_hilltop' },
]

for (const { stage, note, key } of pages)
  test(`the page built for ${stage} shows the hives, a hive's weight, and the swarm alert`, inBrowser, () =>
    withPage(stage, built(stage), async (url) => {
      const { page, errors } = await open(url)
      await page.waitForSelector('.hive')
      assert.equal(await page.textContent('#stage'), note)
      assert.match(
        (await page.textContent('#status')) ?? '',
        /^5 hives report\. Latest reading Sun 17:30 UTC\. Nothing has come for \d+ (?:h|days)\.$/,
      )
      assert.equal(await page.locator('.hive').count(), 5)
      assert.equal(await page.locator('.hive.alarmed').getAttribute('aria-label'), 'orchard, 37.1 kg, swarm alert')
      assert.equal(
        await page.textContent('#alerts'),
        'Sun 13:00: orchard lost 2.4 kg within the hour. A swarm may have left.',
      )
      const tiles = await page
        .locator('#map image')
        .evaluateAll((images) => images.map((each) => each.getAttribute('href')))
      assert.ok(tiles.length === 15 && tiles.every((href) => href?.endsWith(`?key=${key}`)))
      assert.equal((await page.request.get(tiles[0] as string)).status(), 200)
      // The hive with the alert is chosen; another one by keyboard alone.
      assert.equal(await page.textContent('#chart-title'), 'Weight of orchard')
      await page.locator('[data-hive="brook"]').focus()
      await page.keyboard.press('Enter')
      assert.equal(await page.textContent('#chart-title'), 'Weight of brook')
      assert.match((await page.getAttribute('#chart', 'aria-label')) ?? '', /^Weight of hive brook: 36\.4, /)
      assert.equal(await page.locator('[data-hive="brook"]').getAttribute('aria-pressed'), 'true')
      await page.setViewportSize({ width: 390, height: 800 })
      // Fits a phone, once the chart has noticed.
      await page.waitForFunction('document.documentElement.scrollWidth <= innerWidth')
      assert.deepEqual(errors, [])
      await page.close()
    }),
  )

test(
  'one build of the page is stamped for each stage, and works where only its own scripts may run',
  inBrowser,
  async () => {
    const root = apiary()
    const cwd = join(root, 'dashboard')
    const env = { COLLECTOR_URL: `http://localhost:${await freePort()}` }
    assert.equal((await node(vite('build', '--mode', 'staging'), { cwd, env })).code, 0)
    const files = () =>
      readdirSync(join(cwd, 'dist/assets')).map((name) => readFileSync(join(cwd, 'dist/assets', name)))
    const before = files()
    const policy = `default-src 'none'; script-src 'self'; worker-src 'self'; style-src 'self'; img-src data:; connect-src ${env.COLLECTOR_URL}`
    const port = await freePort()
    const server = createServer(({ url = '/' }, response) => {
      const file = join(cwd, 'dist', url === '/' ? 'index.html' : url)
      const type = { html: 'text/html', css: 'text/css' }[file.split('.').at(-1) ?? ''] ?? 'text/javascript'
      response.writeHead(200, { 'content-type': type, 'content-security-policy': policy })
      response.end(readFileSync(file))
    }).listen(port)
    try {
      for (const [stage, note] of [
        [undefined, 'STAGE_NOTE is fixed at start, but this page has no value for it'],
        ['staging', 'Staging: practice hives, no messages'],
        ['production', 'Live'],
      ] as const) {
        if (stage) {
          const stamped = await mappa(['stamp', 'dist/index.html', '--stage', stage, '--in-place'], { cwd, env })
          assert.match(stamped.stderr, new RegExp(`dist/index\\.html has the values of ${stage}\\.`))
          if (stage === 'production') assert.match(stamped.stderr, /built for staging, and keeps its values of APIARY_/)
        }
        const { page, errors } = await open(`http://localhost:${port}/`)
        if (!stage) await until(() => errors.some((each) => each.includes(note)), note)
        else {
          await page.waitForSelector('#status.away')
          assert.equal(await page.textContent('#stage'), note)
          assert.deepEqual(errors, [])
        }
        await page.close()
      }
      assert.deepEqual(files(), before)
    } finally {
      server.close()
    }
  },
)

test('the page says so when the collector is away', inBrowser, async () => {
  const root = apiary()
  const env = { COLLECTOR_URL: `http://localhost:${await freePort()}` }
  const port = String(await freePort())
  const args = await built('staging')(root, env, port)
  await whileRunning(args, { cwd: join(root, 'dashboard'), env, ready: 'Local:' }, async () => {
    const { page } = await open(`http://localhost:${port}/`)
    await page.waitForSelector('#status.away')
    assert.match((await page.textContent('#status')) ?? '', /does not answer.*Try again$/)
    await page.close()
  })
})

test('while Vite serves, an edited layer shows in the page, and a fault is shown without losing it', inBrowser, () =>
  withPage(
    'development',
    async (_, __, pagePort) => vite('--port', pagePort, '--strictPort', '--host', 'localhost'),
    async (url, root, output) => {
      const layer = join(root, '.env.development')
      const { page } = await open(url)
      await page.waitForSelector('.hive')
      assert.equal(await page.textContent('#stage'), 'Development: invented hives')
      edit(layer, (text) => text.replace('invented', 'borrowed'))
      await page.waitForFunction("document.querySelector('#stage')?.textContent === 'Development: borrowed hives'")
      assert.match(output(), /STAGE_NOTE is now Development: borrowed hives \(\.env\.development:\d+:12\)/)
      edit(layer, (text) => text.replace('tile_test_meadow', 'tile_live_meadow'))
      await page.waitForSelector('vite-error-overlay')
      assert.equal(await page.textContent('#stage'), 'Development: borrowed hives')
      edit(layer, (text) => text.replace('tile_live_meadow', 'tile_test_brook'))
      await page.waitForFunction("document.querySelector('image')?.getAttribute('href').endsWith('tile_test_brook')")
      edit(join(root, 'dashboard/src/map.ts'), (text) =>
        text.replace('{ COLLECTOR_URL,', '{ ALERT_TOKEN, COLLECTOR_URL,').concat('\nconsole.log(ALERT_TOKEN)\n'),
      )
      await page.waitForSelector('vite-error-overlay')
      const overlay = await page.locator('vite-error-overlay .message-body').textContent()
      assert.match(overlay ?? '', /ALERT_TOKEN is secret and must stay on the server[\s\S]*src\/map\.ts:1:10/)
      assert.doesNotMatch(await (await page.request.get(`${url}src/map.ts`)).text(), /buckwheat/)
      await page.close()
    },
  ),
)

/** Text that no output may hold, in every variable that stays on the server and can hold any text. */
const sentinels = {
  COLLECTOR_PORT: '48317',
  COLLECTOR_HOST: 'sentinel-host',
  ALLOWED_ORIGINS: 'https://sentinel-origin.example',
  STORE_FILE: 'sentinel-store',
  READINGS_KEPT: '731849',
  ALERT_GATEWAY: 'https://sentinel-gateway.example/',
  ALERT_TOKEN: 'sms_test_sentinel_token_1234',
  KEEPER_PHONE: '+999731849',
}

test('no server value reaches any output file, and no prefixed variable of the environment does', async () => {
  const root = apiary()
  rmSync(join(root, 'collector/dist'), { recursive: true })
  edit(
    join(root, '.env.staging'),
    (text) =>
      text +
      Object.entries(sentinels)
        .map(([name, value]) => `\n${name}=${value}`)
        .join(''),
  )
  edit(join(root, 'dashboard/src/main.ts'), (text) => `${text}\nconsole.log(import.meta.env)\n`)
  // A layer file of its own would make the dashboard a root.
  const env = { VITE_SENTINEL: 'sentinel-prefixed', NODE_ENV: 'development', MAPPA_ROOT: root }
  writeFileSync(join(root, 'dashboard/.env'), 'VITE_FILE=sentinel-file\n')
  rmSync(join(root, '.env.local'))
  for (const part of ['dashboard', 'collector']) {
    const { code, stderr } = await node(vite('build', '--mode', 'staging'), { cwd: join(root, part), env })
    assert.equal(code, 0, stderr)
  }
  const files = ['dashboard/dist', 'collector/dist'].flatMap((folder) =>
    readdirSync(join(root, folder), { recursive: true, encoding: 'utf8', withFileTypes: true })
      .filter((each) => each.isFile())
      .map((each) => join(each.parentPath, each.name)),
  )
  assert.ok(files.filter((file) => file.endsWith('.map')).length >= 2)
  const everything = files.map((file) => readFileSync(file, 'utf8')).join('\n')
  assert.match(everything, /tile_test_orchard/)
  assert.doesNotMatch(everything, /sentinel|48317|731849/)
})

test('a build with faults fails with the text of check, and so does one that takes what it may not', async () => {
  const root = apiary()
  const cwd = join(root, 'dashboard')
  const build = (...args: string[]) => node(vite('build', ...args), { cwd })
  edit(join(root, '.env.staging'), (text) => text.replace('tile_test_orchard', 'tile_live_orchard'))
  const wrong = await build('--mode', 'staging')
  assert.equal(wrong.code, 1)
  assert.match(
    wrong.stderr,
    /Stage staging \(from --mode\)\n\nFault: TILE_KEY is "tile_live_orchard", but must match \^tile_test_\.\n {4}\.env\.staging:7:10\n[\s\S]*1 fault, no notices\. Nothing was built\./,
  )
  assert.match((await build('--mode', 'stagin')).stderr, /The stage must be one of .*\n {2}→ Write: staging/)

  writeFileSync(join(root, '.env.local'), 'TILE_KEY=tile_live_mine\n')
  assert.match((await build()).stderr, /\.env\.local overrides TILE_KEY from \.env\.production/)
  rmSync(join(root, '.env.local'))

  const rows: readonly [code: string, sentence: RegExp][] = [
    [
      "import { ALERT_TOKEN } from 'virtual:mappa/settings'\nconsole.log(ALERT_TOKEN)",
      /ALERT_TOKEN is secret and must stay on the server, but src\/leak\.ts takes it into browser\s+code\.\n {4}src\/leak\.ts:1:10\n[\s\S]*src\/leak\.ts:1 takes ALERT_TOKEN\. src\/main\.ts:1 imports it, index\.html loads that\./,
    ],
    ["export { STORE_FILE as x } from 'virtual:mappa/settings'", /STORE_FILE stays on the server/],
    ["import * as all from 'virtual:mappa/settings'\nconsole.log(all.LOG_LEVEL)", /LOG_LEVEL stays on the server/],
    ["import all from 'virtual:mappa/settings'\nconsole.log(all)", /imports all settings into browser code/],
    [
      "import { TILE_KY } from 'virtual:mappa/settings'\nconsole.log(TILE_KY)",
      /takes TILE_KY, but it is not in the legend[\s\S]*Write: TILE_KEY/,
    ],
  ]
  edit(join(cwd, 'src/main.ts'), (text) => `import './leak.js'\n${text}`)
  for (const [code, sentence] of rows) {
    writeFileSync(join(cwd, 'src/leak.ts'), code)
    const refused = await build()
    assert.equal(refused.code, 1)
    assert.match(refused.stderr, sentence)
    assert.doesNotMatch(refused.stderr, /acacia/)
  }
})
