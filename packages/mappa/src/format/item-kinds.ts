/** The kind of an item. */
export type ItemKind = 'blank' | 'comment' | 'assignment' | 'fault'

/** The flaw of an item of kind `fault`. */
export type Flaw =
  | 'no-equals'
  | 'bad-name'
  | 'unclosed-quote'
  | 'text-after-quote'
  | 'stray-return'
  | 'nul'
  | 'bad-expansion'

/** The style of a value: bare, one pair of quotes, or several pieces that join. */
export type Style = 'bare' | 'single' | 'double' | 'joined'
