// A legend in each language and kind of module, through everything that loads one.
import assert from 'node:assert/strict'
import { chmodSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import test from 'node:test'
import { mappa as forEsbuild } from '@mappa/build/esbuild'
import { build as esbuild } from 'esbuild'
import { build } from 'vite'
import { mappa, node, project, top } from '../../../test/helpers.js'

const entries = "{ TILE: { type: 'string', reach: 'browser', description: 'Key' }, PORT: { type: 'port' } }"
const module = `import { legend } from 'mappa/legend'\nexport default legend(${entries})\n`
const common = `const { legend } = require('mappa/legend')\nmodule.exports = legend(${entries})\n`
const typed = module.replace("'browser'", "'browser' satisfies string")
const rows: readonly (readonly [file: string, text: string, type?: 'module'])[] = [
  ['mappa.legend.ts', typed],
  ['mappa.legend.ts', typed, 'module'],
  ['mappa.legend.mts', typed],
  ['mappa.legend.cts', typed],
  ['mappa.legend.cts', typed.replace('export default', 'export ='), 'module'],
  ['mappa.legend.js', module, 'module'],
  ['mappa.legend.js', common],
  ['mappa.legend.mjs', module],
  ['mappa.legend.cjs', common, 'module'],
]

test('a legend in TypeScript or JavaScript, as a module or as CommonJS, is checked, built, served and preloaded', async () => {
  for (const [file, text, type] of rows) {
    const what = `${file} in ${type ?? 'commonjs'}: ${text}`
    const root = project({
      [file]: text,
      ...(type && { 'package.json': `{ "type": "${type}" }` }),
      '.env': 'TILE=tile_test_meadow\nPORT=4107\n',
      'index.html': '<script type="module" src="./main.mjs"></script>\n',
      'main.mjs': "import { TILE } from 'virtual:mappa/settings'\nconsole.log(TILE)\n",
      'server.mjs': "import { PORT } from 'virtual:mappa/settings'\nconsole.log(PORT)\n",
    })
    symlinkSync(join(top, 'node_modules/vite'), join(root, 'node_modules/vite'))
    const checked = await mappa(['check'], { cwd: root })
    assert.match(checked.stdout, /^2 variables are valid/m, what + checked.stdout)
    const { mappa: plugin } = await import('@mappa/build/vite')
    const bundle = (more: object) =>
      build({ root, configFile: false, logLevel: 'silent', mode: 'development', plugins: [plugin()], build: more })
    await bundle({ outDir: 'page' })
    const [page = ''] = readdirSync(join(root, 'page/assets'))
    assert.match(readFileSync(join(root, 'page/assets', page), 'utf8'), /tile_test_meadow/, what)
    await bundle({ ssr: 'server.mjs', outDir: 'server' })
    const [server = ''] = readdirSync(join(root, 'server'))
    const { stdout, stderr } = await node([`server/${server}`], { cwd: root })
    assert.equal(stdout, '4107\n', what + stderr)
    const preload = () => node(['--import', 'mappa/preload', '-p', 'process.env.PORT'], { cwd: root })
    // One in TypeScript from the copy that the check above has kept.
    assert.equal((await preload()).stdout, '4107\n', what)
    const strips = Boolean((process.features as { typescript?: unknown }).typescript)
    // Node takes types away where it knows them, and makes no CommonJS of a module.
    const reads = !/\.[cm]?ts$/.test(file) || (strips && !file.endsWith('.cts'))
    if (/\.[cm]?ts$/.test(file)) {
      const [copy = ''] = readdirSync(join(root, 'node_modules/.cache/mappa')).filter((name) => name.endsWith('.mjs'))
      // What others may have written is not run.
      for (const mode of [0o664, 0o646]) {
        chmodSync(join(root, 'node_modules/.cache/mappa', copy), mode)
        const { stdout, stderr } = await preload()
        assert.equal(stdout, reads ? '4107\n' : '', what + stderr)
        if (!reads) assert.match(stderr, /TypeScript[\s\S]*Run: mappa check/)
      }
      chmodSync(join(root, 'node_modules/.cache/mappa', copy), 0o644)
    }
    writeFileSync(join(root, file), `${text}\n// another text\n`)
    assert.equal((await preload()).stdout, reads ? '4107\n' : '', what)
    // Builds keep copies, too.
    if (/\.m?ts$/.test(file)) {
      await bundle({ outDir: 'page' })
      assert.equal((await preload()).stdout, '4107\n', what)
      writeFileSync(join(root, file), `${text}\n// and another\n`)
      const plugins = [forEsbuild({ root, stage: 'development' })]
      await esbuild({ entryPoints: [join(root, 'main.mjs')], bundle: true, write: false, logLevel: 'silent', plugins })
      assert.equal((await preload()).stdout, '4107\n', what)
    }
    // What changed since is read, whatever Node keeps of what it loaded.
    writeFileSync(join(root, file), text.replace("'port'", "'integer', minimum: 5000"))
    await assert.rejects(bundle({ outDir: 'page' }), /PORT is 4107, but must be at least 5000/, what)
  }
})
