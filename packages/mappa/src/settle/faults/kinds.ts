import type { Flaw } from '../../format/item-kinds.js'
import { acceptableFaults, acceptableNotices } from '../../legend/accepted.js'
import type { Breach } from '../../legend/constraints.js'
import type { Slip } from '../value/slips.js'

/** Facts about a kind of fault. */
interface FaultKindFacts {
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
  'not-loaded': {},
  'other-stage': {},
  stale: {},
  'not-ignored': {},
  'secret-shared': {},
  'secret-in-history': {},
  'key-shaped': {},
  'secret-tracked': {},
  'secret-packed': {},
  'not-searched': {},
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
} as const satisfies Readonly<Record<Breach | Flaw | Slip, FaultKindFacts>> & Readonly<Record<string, FaultKindFacts>>

/** Facts about a kind of notice. */
interface NoticeKindFacts {
  /** It is about the root, whatever the stage. */
  readonly aboutRoot?: true
}

/** The kinds of notices. */
export const noticeKinds = {
  undeclared: {},
  'read-differently': {},
  'hidden-by-local': {},
  'empty-ignored': {},
  'read-already': {},
  'changes-loading': {},
  misnamed: { aboutRoot: true },
  'beside-page': {},
  'second-legend': { aboutRoot: true },
  'writable-by-others': { aboutRoot: true },
  unread: {},
  'computed-read': {},
  unparsed: {},
  'former-name': {},
  deprecated: {},
  placeholder: {},
  'key-of-other-stage': {},
  'weak-secret': {},
  'shared-secret': { aboutRoot: true },
  'password-shown': {},
  'secret-within': {},
  'not-searched': {},
  'key-shaped': {},
  'not-in-image': {},
  'true-in-code': {},
} as const satisfies Readonly<Record<string, NoticeKindFacts>>

export type FaultKind = keyof typeof faultKinds
export type NoticeKind = keyof typeof noticeKinds

/** Tells whether nothing can be said of any variable while there is a fault of this kind. */
export function isGeneral(kind: FaultKind): boolean {
  const { general }: FaultKindFacts = faultKinds[kind]
  return general === true
}

/** Tells whether a notice of this kind is about the root, whatever the stage. */
export function isAboutRoot(kind: NoticeKind): boolean {
  const { aboutRoot }: NoticeKindFacts = noticeKinds[kind]
  return aboutRoot === true
}

// A legend can accept only known kinds.
acceptableFaults satisfies readonly FaultKind[]
acceptableNotices satisfies readonly NoticeKind[]
