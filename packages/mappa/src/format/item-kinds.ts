/** What an item is. */
export type ItemKind = 'blank' | 'comment' | 'assignment' | 'fault'

/** What is wrong with an item of kind `fault`. */
export type Flaw =
  | 'no-equals'
  | 'bad-name'
  | 'unclosed-quote'
  | 'text-after-quote'
  | 'stray-return'
  | 'nul'
  | 'bad-expansion'

/** How a value is written: bare, in one pair of quotes, or as several pieces that join. */
export type Style = 'bare' | 'single' | 'double' | 'joined'
