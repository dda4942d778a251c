import { parseParts } from './expansion.js'
import type { Flaw, ItemKind, Style } from './item-kinds.js'
import { assignmentInside } from './names.js'

/**
 * One pass over layer text, item by item. The grammar (docs/format.md has it in full):
 *
 *     layer      = [BOM] *( item )
 *     item       = blank / comment / assignment          ; ends with LF, CRLF or the text's end
 *     comment    = *BLANK "#" *char
 *     assignment = *BLANK ["export" 1*BLANK] name *BLANK "=" *BLANK value [1*BLANK "#" *char]
 *     value      = bare / 1*( single / double / joined )  ; the latter when it starts with a quote
 *
 * Whatever fits none of these becomes an item of kind `fault`, and reading goes on at the next line.
 * The scanner fills one reused cursor, so that reading names and values of a large text allocates nothing else.
 */

/** The position of the scanner. Offsets are UTF-16 code units into `text`; ranges are half-open. */
export interface Cursor {
  readonly text: string
  /** Start of the next item. */
  next: number
  kind: ItemKind
  start: number
  nameStart: number
  /** 0 while the item has no name. */
  nameEnd: number
  /** The value as written, quotes included. */
  valueStart: number
  valueEnd: number
  style: Style
  /** True if blanks stand on either side of the equals sign. */
  loose: boolean
  /** True if the value holds a dollar sign outside single quotes, so that something in it may must be expanded. */
  dollar: boolean
  flaw: Flaw | undefined
  flawStart: number
  flawEnd: number
  /** Up to here a quote that closes too late has been looked at already, which keeps a text full of such linear. */
  lateUntil: number
  /** From here on no closing quote of this kind is left. Keeps a text full of opening quotes linear. */
  singleEndsAt: number
  doubleEndsAt: number
  /** The next offset of each of these, at or after the present value; `never` if there is none. */
  hash: number
  dollarSign: number
  carriageReturn: number
  nul: number
}

/** Behind the end of any text. A small whole number as all offsets are, since others are kept apart from their object. */
const never = 0x7fffffff

const TAB = 9
const LF = 10
const CR = 13
const SPACE = 32
const DOUBLE = 34
const HASH = 35
const DOLLAR = 36
const SINGLE = 39
const EQUALS = 61
const BACKSLASH = 92
const BOM = 0xfeff

/** A cursor at the first item of `text`, behind a byte order mark if there is one. */
export function cursorAt(text: string): Cursor {
  const next = text.charCodeAt(0) === BOM ? 1 : 0
  return {
    text,
    next,
    kind: 'blank',
    start: next,
    nameStart: 0,
    nameEnd: 0,
    valueStart: 0,
    valueEnd: 0,
    style: 'bare',
    loose: false,
    dollar: false,
    flaw: undefined,
    flawStart: 0,
    flawEnd: 0,
    lateUntil: -1,
    singleEndsAt: never,
    doubleEndsAt: never,
    hash: -1,
    dollarSign: -1,
    carriageReturn: -1,
    nul: offsetOf(text, '\0', 0),
  }
}

/** Moves the cursor over the next item; false at the end of the text. */
export function scanItem(cursor: Cursor): boolean {
  const { text } = cursor
  if (cursor.next >= text.length) return false
  if (scanPlain(cursor)) return true
  cursor.start = cursor.next
  cursor.nameEnd = 0
  let at = cursor.start
  let end = nameEnd(text, at)
  if (end === at) {
    at = skipBlanks(text, at)
    end = nameEnd(text, at)
  }
  if (end === at) {
    if (isLineEnd(text, at)) return finish(cursor, 'blank', at)
    if (text.charCodeAt(at) === HASH) return finish(cursor, 'comment', at)
  }
  if (end - at === 6 && isBlank(text.charCodeAt(end)) && text.startsWith('export', at)) {
    const after = skipBlanks(text, end)
    if (isNameStart(text.charCodeAt(after))) {
      at = after
      end = nameEnd(text, at)
    }
  }
  const equals = skipBlanks(text, end)
  if (text.charCodeAt(equals) !== EQUALS) return unreadableLine(cursor, at, end)
  if (end === at) return flawed(cursor, 'bad-name', at, equals)

  cursor.nameStart = at
  cursor.nameEnd = end
  const start = skipBlanks(text, equals + 1)
  // A comment may follow an empty value, for a shell too.
  cursor.loose = equals > end || (start > equals + 1 && !isLineEnd(text, start) && text.charCodeAt(start) !== HASH)
  cursor.valueStart = start
  const first = text.charCodeAt(start)
  if (first === SINGLE || first === DOUBLE) scanPieces(cursor)
  else scanBare(cursor, equals + 1)
  if (cursor.nul < cursor.next) refuseNul(cursor)
  return true
}

/**
 * The commonest line by far, in one go: a name at its very start, an equals sign, and a value with no character that
 * matters to the grammar. False, with nothing done, for any other.
 */
function scanPlain(cursor: Cursor): boolean {
  const { text, next: start } = cursor
  const end = nameEnd(text, start)
  if (end === start || text.charCodeAt(end) !== EQUALS) return false
  const valueStart = end + 1
  const lf = text.indexOf('\n', valueStart)
  if (lf <= valueStart || nextSign(cursor, valueStart) < lf) return false
  const first = text.charCodeAt(valueStart)
  if (first === SINGLE || first === DOUBLE || isBlank(first) || isBlank(text.charCodeAt(lf - 1))) return false
  cursor.kind = 'assignment'
  cursor.flaw = undefined
  cursor.start = start
  cursor.nameStart = start
  cursor.nameEnd = end
  cursor.valueStart = valueStart
  cursor.valueEnd = lf
  cursor.style = 'bare'
  cursor.loose = false
  cursor.dollar = false
  cursor.next = lf + 1
  return true
}

/** Finds where the next of the characters comes that matter inside a bare value. */
function nextSign(cursor: Cursor, from: number): number {
  const { text } = cursor
  if (cursor.hash < from) cursor.hash = offsetOf(text, '#', from)
  if (cursor.dollarSign < from) cursor.dollarSign = offsetOf(text, '$', from)
  if (cursor.carriageReturn < from) cursor.carriageReturn = offsetOf(text, '\r', from)
  if (cursor.nul < from) cursor.nul = offsetOf(text, '\0', from)
  return Math.min(cursor.hash, cursor.dollarSign, cursor.carriageReturn, cursor.nul)
}

/**
 * A bare value runs to the end of its line or to a `#` behind a blank; outer blanks are not part of it. Most values hold
 * none of the characters that matter, which the offsets on the cursor tell without looking at each character.
 */
function scanBare(cursor: Cursor, from: number): void {
  const { text, valueStart } = cursor
  if (cursor.hash < valueStart) cursor.hash = offsetOf(text, '#', valueStart)
  if (cursor.dollarSign < valueStart) cursor.dollarSign = offsetOf(text, '$', valueStart)
  if (cursor.carriageReturn < valueStart) cursor.carriageReturn = offsetOf(text, '\r', valueStart)
  const lf = text.indexOf('\n', valueStart)
  const stop = endBefore(text, valueStart, lf)
  const end = cursor.hash < stop ? commentStart(text, from, valueStart, stop) : stop
  const last = trimmedEnd(text, valueStart, end)
  cursor.style = 'bare'
  cursor.valueEnd = last
  cursor.dollar = cursor.dollarSign < last
  if (cursor.carriageReturn < last) flawed(cursor, 'stray-return', cursor.carriageReturn)
  else if (cursor.dollar) finishValue(cursor, stop)
  else {
    cursor.kind = 'assignment'
    cursor.flaw = undefined
    cursor.next = lf < 0 ? text.length : lf + 1
  }
}

/** Finds where a comment behind a value starts: at a `#` with a blank before it. */
function commentStart(text: string, from: number, valueStart: number, stop: number): number {
  for (let at = valueStart; at < stop; at++) {
    if (text.charCodeAt(at) === HASH && at > from && isBlank(text.charCodeAt(at - 1))) return at
  }
  return stop
}

/** Pieces join as in a shell, `'a'"b"c`, until a blank or the line's end; behind them only a comment may stand. */
function scanPieces(cursor: Cursor): void {
  const { text } = cursor
  let at = cursor.valueStart
  let pieces = 0
  let style: Style = 'joined'
  cursor.dollar = false
  while (!isLineEnd(text, at) && !isBlank(text.charCodeAt(at))) {
    const code = text.charCodeAt(at)
    pieces++
    if (code === SINGLE) {
      const close = at >= cursor.singleEndsAt ? -1 : text.indexOf("'", at + 1)
      if (close < 0) {
        cursor.singleEndsAt = Math.min(cursor.singleEndsAt, at)
        flawedQuote(cursor, at)
        return
      }
      style = 'single'
      at = close + 1
    } else if (code === DOUBLE) {
      const close = at >= cursor.doubleEndsAt ? -1 : doubleClose(text, at + 1)
      if (close < 0) {
        cursor.doubleEndsAt = Math.min(cursor.doubleEndsAt, at)
        flawedQuote(cursor, at)
        return
      }
      cursor.dollar ||= text.slice(at, close).includes('$')
      style = 'double'
      at = close + 1
    } else if (code === CR) {
      flawed(cursor, 'stray-return', at)
      return
    } else {
      cursor.dollar ||= code === DOLLAR
      at += code === BACKSLASH && !isLineEnd(text, at + 1) ? 2 : 1
    }
  }
  cursor.style = pieces === 1 ? style : 'joined'
  cursor.valueEnd = at
  const after = skipBlanks(text, at)
  if (isLineEnd(text, after) || text.charCodeAt(after) === HASH) finishValue(cursor, after)
  else if (!closesLate(cursor, after)) flawed(cursor, 'text-after-quote', after, lineEnd(text, after))
}

/** A quote that is not closed, or an earlier one that was meant to be: the first whose closing changes the reading. */
function flawedQuote(cursor: Cursor, at: number): void {
  if (!closesLate(cursor, at)) flawed(cursor, 'unclosed-quote', at)
}

/** Makes a flaw of a piece that has swallowed assignments, so that reading goes on with those. */
function closesLate(cursor: Cursor, at: number): boolean {
  const { text, valueStart } = cursor
  const long = at <= cursor.lateUntil ? -1 : firstLong(text, valueStart, at)
  if (long < 0 || long <= cursor.lateUntil || !assignmentInside.test(text.slice(long, at))) return false
  cursor.lateUntil = at
  return flawed(cursor, 'unclosed-quote', long)
}

/** The first piece of a value in front of an offset that goes over lines; -1 if none does. */
function firstLong(text: string, valueStart: number, before: number): number {
  for (let at = valueStart; at < before; ) {
    const code = text.charCodeAt(at)
    const isQuote = code === SINGLE || code === DOUBLE
    const close = code === SINGLE ? text.indexOf("'", at + 1) : isQuote ? doubleClose(text, at + 1) : at
    if (close < 0) return -1
    if (isQuote && close < before && text.slice(at, close).includes('\n')) return at
    at = isQuote ? close + 1 : at + (code === BACKSLASH && !isLineEnd(text, at + 1) ? 2 : 1)
  }
  return -1
}

/** The offset of the quote that closes a double-quoted piece whose text starts at `from`, or -1. A backslash hides the character behind it. */
function doubleClose(text: string, from: number): number {
  let at = from
  for (;;) {
    const close = text.indexOf('"', at)
    if (close < 0) return -1
    let slashes = close
    while (slashes > from && text.charCodeAt(slashes - 1) === BACKSLASH) slashes--
    if ((close - slashes) % 2 === 0) return close
    at = close + 1
  }
}

/** An assignment, unless an expansion in its value cannot be understood. */
function finishValue(cursor: Cursor, at: number): void {
  const { text, valueStart, valueEnd, style, dollar } = cursor
  const written = dollar ? text.slice(valueStart, valueEnd) : ''
  // Without one that opens, nothing can be wrong with an expansion.
  if (written.includes('${') && !(style === 'bare' && onePlain.test(written))) {
    const parsed = parseParts(written, style)
    if ('flawAt' in parsed) {
      flawed(cursor, 'bad-expansion', valueStart + parsed.flawAt, valueStart + parsed.flawAt + 2)
      return
    }
  }
  finish(cursor, 'assignment', at)
}

/** A bare value with one `${NAME}` in it, as most that expand are: nothing in it can be wrong. */
const onePlain = /^[^$]*\$\{[A-Za-z_][A-Za-z0-9_]*\}[^$]*$/

/** No environment can hold a NUL, so neither may a value; in a comment one does no harm. */
function refuseNul(cursor: Cursor): void {
  if (cursor.nul < cursor.valueStart) cursor.nul = offsetOf(cursor.text, '\0', cursor.valueStart)
  const { kind, nul } = cursor
  if (kind === 'assignment' && nul < cursor.valueEnd) flawed(cursor, 'nul', nul)
}

function offsetOf(text: string, what: string, from: number): number {
  const at = text.indexOf(what, from)
  return at < 0 ? never : at
}

/** A line without `NAME=`: says whether the name is at fault or the equals sign is missing. */
function unreadableLine(cursor: Cursor, at: number, end: number): boolean {
  const { text } = cursor
  const stop = lineEnd(text, at)
  const equals = text.slice(end, stop).indexOf('=')
  if (equals < 0) return flawed(cursor, 'no-equals', at, stop)
  return flawed(cursor, 'bad-name', at, trimmedEnd(text, at, end + equals))
}

function finish(cursor: Cursor, kind: ItemKind, at: number): boolean {
  cursor.kind = kind
  cursor.flaw = undefined
  cursor.next = lineAfter(cursor.text, at)
  return true
}

function flawed(cursor: Cursor, flaw: Flaw, start: number, end = start): true {
  cursor.kind = 'fault'
  cursor.flaw = flaw
  cursor.flawStart = start
  cursor.flawEnd = Math.max(end, start + 1)
  cursor.next = lineAfter(cursor.text, start)
  return true
}

/** Compiled code walks over a name several times faster than a loop does, once as well as warm. */
const nameAhead = /[A-Za-z_][A-Za-z0-9_]*/y

/** Finds where the name ends that starts at an offset; the offset itself if none does. */
function nameEnd(text: string, from: number): number {
  nameAhead.lastIndex = from
  return nameAhead.test(text) ? nameAhead.lastIndex : from
}

function isNameStart(code: number): boolean {
  return (code >= 65 && code <= 90) || (code >= 97 && code <= 122) || code === 95
}

function isBlank(code: number): boolean {
  return code === SPACE || code === TAB
}

function isLineEnd(text: string, at: number): boolean {
  if (at >= text.length) return true
  const code = text.charCodeAt(at)
  return code === LF || (code === CR && (at + 1 === text.length || text.charCodeAt(at + 1) === LF))
}

function skipBlanks(text: string, from: number): number {
  let at = from
  while (at < text.length && isBlank(text.charCodeAt(at))) at++
  return at
}

/** Finds where the line that holds `at` ends, its line end excluded. */
function lineEnd(text: string, at: number): number {
  return endBefore(text, at, text.indexOf('\n', at))
}

/** Finds where a line ends that goes on from `at` to the line feed at `lf`, or to the text's end if that is negative. */
function endBefore(text: string, at: number, lf: number): number {
  const end = lf < 0 ? text.length : lf
  return end > at && text.charCodeAt(end - 1) === CR ? end - 1 : end
}

/** Finds where the next line starts. */
function lineAfter(text: string, at: number): number {
  const lf = text.indexOf('\n', at)
  return lf < 0 ? text.length : lf + 1
}

function trimmedEnd(text: string, start: number, end: number): number {
  let at = end
  while (at > start && isBlank(text.charCodeAt(at - 1))) at--
  return at
}
