import type { Flaw } from '../../format/item-kinds.js'
import { acceptableFaults, acceptableNotices } from '../../legend/accepted.js'
import type { Breach } from '../../legend/constraints.js'
import type { Slip } from '../value/slips.js'

/** Traits of a kind of fault. */
interface FaultTraits {
  /** While there is one, what is said of a variable may not be so. */
  readonly general?: true
}

/** The kinds of faults: each says what is wrong. */
export const faultKinds = {
  missing: {},
  'wrong-type': {},
  'not-allowed': {},
  'out-of-range': {},
  'wrong-length': {},
  'wrong-form': {},
  'wrong-item': {},
  'no-equals': {},
  'bad-name': {},
  'unclosed-quote': {},
  'text-after-quote': {},
  'stray-return': {},
  nul: {},
  'bad-expansion': {},
  unset: {},
  'asked-for': {},
  cycle: {},
  'too-long': {},
  'too-deep': {},
  'bare-dollar': {},
  'secret-in-browser': {},
  unreadable: { general: true },
  'unknown-stage': { general: true },
  'stage-in-layer': {},
  'no-layers': { general: true },
  legend: { general: true },
  refused: {},
  'beyond-reach': {},
  'fixed-at-start': {},
  leak: {},
  undeclared: {},
  'hidden-by-local': {},
  'set-twice': {},
  remote: { general: true },
  'nested-stage': {},
  'read-already': {},
  'no-entry': {},
  stale: {},
  'not-ignored': {},
  'secret-shared': {},
  'secret-in-history': {},
  'key-shaped': {},
  'secret-tracked': {},
  'secret-packed': {},
  placeholder: {},
  'key-of-other-stage': {},
  'schema-issue': {},
  'read-failed': {},
  'not-plain': {},
  'needs-waiting': {},
  rule: {},
  'slow-pattern': {},
  'cannot-hold': {},
  'misplaced-secret': {},
} as const satisfies Readonly<Record<Breach | Flaw | Slip, FaultTraits>> & Readonly<Record<string, FaultTraits>>

/** Traits of a kind of notice. */
interface NoticeTraits {
  /** It is about the root, whatever the stage. */
  readonly around?: true
}

/** The kinds of notices. */
export const noticeKinds = {
  undeclared: {},
  'read-differently': {},
  'hidden-by-local': {},
  'empty-ignored': {},
  'read-already': {},
  'changes-loading': {},
  misnamed: { around: true },
  'beside-page': {},
  'second-legend': { around: true },
  'writable-by-others': { around: true },
  unread: {},
  'computed-read': {},
  unparsed: {},
  'former-name': {},
  deprecated: {},
  placeholder: {},
  'key-of-other-stage': {},
  'weak-secret': {},
  'shared-secret': { around: true },
  'password-shown': {},
} as const satisfies Readonly<Record<string, NoticeTraits>>

export type FaultKind = keyof typeof faultKinds
export type NoticeKind = keyof typeof noticeKinds

/** Tells whether nothing can be said of any variable while there is a fault of this kind. */
export function isGeneral(kind: FaultKind): boolean {
  const { general }: FaultTraits = faultKinds[kind]
  return general === true
}

/** Tells whether a notice of this kind is about the root, whatever the stage. */
export function isAround(kind: NoticeKind): boolean {
  const { around }: NoticeTraits = noticeKinds[kind]
  return around === true
}

// A legend can accept only known kinds.
acceptableFaults satisfies readonly FaultKind[]
acceptableNotices satisfies readonly NoticeKind[]
