import assert from 'node:assert/strict'
import test from 'node:test'
import { readLayer, readValues } from 'mappa'

/** Flaws of expansions at these lines and columns. */
function bad(...places: number[]): string {
  return places.flatMap((line, at) => (at % 2 ? [] : [`bad-expansion ${line}:${places[at + 1]}`])).join(', ')
}

const rows: readonly [text: string, values: Record<string, string>, flaws?: string][] = [
  ['A=1\nB_2=two words\n', { A: '1', B_2: 'two words' }],
  ['\ufeffA=1\r\n\r\n# note\r\nB=2', { A: '1', B: '2' }],
  ['  export A = x y \t# note\nexport=1\nexport B=2', { A: 'x y', export: '1', B: '2' }],
  ['A=\nB= # note\nC=#hive\nD=a#b\nE= #', { A: '', B: '', C: '#hive', D: 'a#b', E: '' }],
  ['A={"a":1}\nB=Bob\'s hives\nC=p$ss`w`$(x)\\n', { A: '{"a":1}', B: "Bob's hives", C: 'p$ss`w`$(x)\\n' }],
  ["A='a # \"b\" ${C} \\n'\nB='x\r\ny'  # note", { A: 'a # "b" ${C} \\n', B: 'x\ny' }],
  ['A="a\\n\\t\\"\\\\\\$\\x"\nB="x\r\ny"\nC="\\\\"', { A: 'a\n\t"\\$\\x', B: 'x\ny', C: '\\' }],
  [`A='Bob'\\''s'" hives"#1\nB="a"'b'c`, { A: "Bob's hives#1", B: 'abc' }],
  ['A=1\nA=2\nB=3', { A: '2', B: '3' }],
  ['__proto__=x\nconstructor=y', { ['__proto__']: 'x', constructor: 'y' }],
  ['A\nB=1', { B: '1' }, 'no-equals 1:1'],
  ['2A=1\n A-B=1\n=x\nB=1', { B: '1' }, 'bad-name 1:1, bad-name 2:2, bad-name 3:1'],
  ["A=1\nB='x\nC=3", { A: '1', C: '3' }, 'unclosed-quote 2:3'],
  ['A="x\\"\nB=2\nC=\'', { B: '2' }, 'unclosed-quote 1:3, unclosed-quote 3:3'],
  // The first quote whose closing changes the reading; what follows it is read.
  ["A='x\nB=1\nC='y'\nD=2", { B: '1', C: 'y', D: '2' }, 'unclosed-quote 1:3'],
  ['Z=1\nA="x\nexport B=1\nC="y z"\nD=2', { Z: '1', B: '1', C: 'y z', D: '2' }, 'unclosed-quote 2:3'],
  ["A='x\ny'z w\nB=1", { B: '1' }, 'text-after-quote 2:5'],
  [`A='x' y\nB="1"'\nC=3`, { C: '3' }, 'text-after-quote 1:7, unclosed-quote 2:6'],
  ['A=x\ry\nB="x"\ry\nC=1\r\n', { C: '1' }, 'stray-return 1:4, stray-return 2:6'],
  ['A=x\0y\n#\0\nB="\0"\nC=1', { C: '1' }, 'nul 1:4, nul 3:4'],
  [
    'A=${B}\nC="x${B:-y z}"\nD=\'${B}\'\nE="\\${B}"\nF=\'a\'${B:+"b"}',
    { A: '${B}', C: 'x${B:-y z}', D: '${B}', E: '${B}', F: 'a${B:+b}' },
  ],
  ['A=${}\nB=${C\nD="${C:=1}"\nE="${C:-"x"}"\nF=${1}\nG=1', { G: '1' }, bad(1, 3, 2, 3, 3, 4, 4, 4, 5, 3)],
  [`A=${'${B:-'.repeat(101)}${'}'.repeat(101)}\nB=1`, { B: '1' }, 'bad-expansion 1:503'],
]

/** What the fast reader gives, visited and asked for by name. */
function fastOf(text: string): [string, string | undefined][] {
  const values = readValues(text)
  const last = new Map<string, string>()
  values.each((name, value) => last.set(name, value))
  for (const [name, value] of last) assert.equal(values.get(name), value)
  assert.deepEqual([...values.names()], [...last.keys()])
  return [...last]
}

test('names, values and flaws, from the document and from the fast reader alike', () => {
  for (const [text, expected, flaws = ''] of rows) {
    const layer = readLayer(text)
    const own = Object.fromEntries(layer.names().map((name) => [name, layer.get(name)]))
    assert.deepEqual(Object.entries(own), Object.entries(expected), text)
    assert.deepEqual(fastOf(text), Object.entries(expected), text)
    assert.equal(layer.faults.map(({ flaw, line, column }) => `${flaw} ${line}:${column}`).join(', '), flaws, text)
    assert.equal(readValues(text).flaws.length, layer.faults.length)
  }
})

test('a name is added beside its relatives, with a comment, in their style; a renamed one keeps its place', () => {
  const text = 'export SMS_URL=\'x\'\r\n# hives\r\nHIVES=2\r\nSMS_TOKEN="y" # secret\r\nB=${SMS_URL}'
  const layer = readLayer(text)
  layer.add('SMS_SENDER', 'Fennel Hill', { comment: 'Who it is from\n\nat most 11' })
  layer.add('HIVES_MAX', '9')
  layer.add('Z', 'last')
  assert.equal(layer.rename('SMS_URL', 'SMS_GATEWAY'), true)
  assert.equal(layer.rename('NONE', 'SOME'), false)
  assert.equal(
    layer.toString(),
    'export SMS_GATEWAY=\'x\'\r\n# hives\r\nHIVES=2\r\nHIVES_MAX=9\r\nSMS_TOKEN="y" # secret\r\n' +
      '# Who it is from\r\n#\r\n# at most 11\r\nSMS_SENDER="Fennel Hill"\r\nB=${SMS_URL}\r\nZ=last\r\n',
  )
  assert.throws(() => layer.add('B', ''), /B is there already/)
  assert.throws(() => layer.rename('B', 'Z'), /Z is there already/)
  assert.throws(() => layer.rename('B', '2'), /not a valid name/)
  const open = readLayer("A='x\nB=1\n")
  open.set('B', '2')
  assert.throws(() => open.set('A', 'x #y'), /opened in line 1 would swallow this; close it first/)
  assert.equal(open.toString(), "A='x\nB=2\n")
})

test('edits keep style, comments and line ends', () => {
  const layer = readLayer('# scales\r\nexport A = 1 # one\r\nB=\'x\'\r\nC="y"\r\nA=2')
  layer.set('A', '3')
  layer.set('B', "it's")
  layer.set('C', 'z')
  layer.set('D', 'two words')
  assert.equal(layer.remove('NONE'), false)
  assert.equal(layer.toString(), '# scales\r\nexport A = 1 # one\r\nB="it\'s"\r\nC="z"\r\nA=3\r\nD=\'two words\'\r\n')
  assert.equal(layer.remove('A'), true)
  assert.deepEqual(layer.names(), ['B', 'C', 'D'])
  assert.throws(() => layer.set('A B', '1'), RangeError)
  assert.throws(() => layer.set('A', '\0'), RangeError)
})

test('a large layer with many names is read whole, also when lines are short', () => {
  const text = Array.from({ length: 50_000 }, (_, at) => `A${at}=${at}\n`).join('')
  const values = readValues(text)
  assert.equal(values.names().length, 50_000)
  for (const at of [0, 1, 777, 49_999]) assert.equal(values.get(`A${at}`), String(at))
  assert.equal(values.get('A50000'), undefined)
})
