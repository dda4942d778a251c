import { parseExpression } from '@babel/parser'
import { isNode, type Node, nodesIn } from './parse.js'

/** The code of one cell of a notebook, and where each of its characters is in the file; one more offset for its end. */
export interface NotebookCell {
  readonly code: string
  readonly offsets: readonly number[]
}

/** The cells of a notebook that hold code (nbformat 4: `cells`, each with `cell_type` and `source`); none if it cannot be read. */
export function cellsIn(text: string): NotebookCell[] {
  try {
    const notebook = parseExpression(text) as unknown as Node
    return nodesIn((memberIn(notebook, 'cells') as Node | undefined)?.elements).flatMap((cell) => {
      const type = memberIn(cell, 'cell_type')
      const source = memberIn(cell, 'source')
      if (!isNode(type) || type.value !== 'code' || !isNode(source)) return []
      const pieces = source.type === 'ArrayExpression' ? nodesIn(source.elements) : [source]
      return [notebookCell(pieces, text)]
    })
  } catch {
    return []
  }
}

function memberIn(object: Node, name: string): unknown {
  return nodesIn(object.properties).find(({ key }) => isNode(key) && key.value === name)?.value
}

/** The text of JSON strings one behind the other, each character with its offset (RFC 8259, 7). */
function notebookCell(pieces: readonly Node[], text: string): NotebookCell {
  let code = ''
  const offsets: number[] = []
  let end = 0
  for (const { type, start, end: stop } of pieces) {
    if (type !== 'StringLiteral') continue
    end = stop - 1
    for (let at = start + 1; at < end; ) {
      const length = text[at] === '\\' ? (text[at + 1] === 'u' ? 6 : 2) : 1
      code += length === 1 ? text[at] : (JSON.parse(`"${text.slice(at, at + length)}"`) as string)
      offsets.push(at)
      at += length
    }
  }
  return { code, offsets: [...offsets, end] }
}
