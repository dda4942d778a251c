import assert from 'node:assert/strict'
import test from 'node:test'
import { readLayer } from 'mappa'
import { readValues } from '../src/format/values.js'

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
      '# Who it is from\r\n#\r\n# at most 11\r\nSMS_SENDER="Fennel Hill"\r\nB=${SMS_GATEWAY}\r\nZ=last\r\n',
  )
  assert.throws(() => layer.add('B', ''), /B already exists/)
  assert.throws(() => layer.rename('B', 'Z'), /Z already exists/)
  assert.throws(() => layer.rename('B', '2'), /not a valid variable name/)
  const open = readLayer("A='x\nB=1\n")
  open.set('B', '2')
  assert.throws(() => open.set('A', 'x #y'), /opened in line 1 would include this line\. Close it first/)
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

test('a name that is renamed is renamed where other values use it, and nowhere else', () => {
  const rows: readonly (readonly [before: string, after: string, changes?: boolean])[] = [
    ['OLD=1\nURL=http://${OLD}/\n', 'NEW=1\nURL=http://${NEW}/\n'],
    ['URL="a ${OLD:-${OLD}} ${OLDER} $OLD"\n', 'URL="a ${NEW:-${NEW}} ${OLDER} $OLD"\n'],
    ['A=\'${OLD}\'\nB="\\${OLD}"\n', 'A=\'${OLD}\'\nB="\\${OLD}"\n', false],
    ['A="x"\'${OLD}\'"${OLD}" # ${OLD}\r\n# ${OLD}\r\n', 'A="x"\'${OLD}\'"${NEW}" # ${OLD}\r\n# ${OLD}\r\n'],
    ['OLD=${OLD}:x\nOLD=2\n', 'NEW=${NEW}:x\nNEW=2\n'],
    ['OTHER=1\n', 'OTHER=1\n', false],
  ]
  for (const [before, after, changes = true] of rows) {
    const layer = readLayer(before)
    assert.equal(layer.rename('OLD', 'NEW'), changes, before)
    assert.equal(layer.toString(), after)
  }
})
