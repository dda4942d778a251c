/** The entry point of legend files: only `legend` and its types, so that a start compiles nothing else. */
export type { Accepted } from './accepted.js'
export { type Legend, type LegendOptions, legend, type Remote, type Rules } from './legend.js'
export type { StandardResult, StandardSchema } from './standard-schema.js'
export type {
  AmountEntry,
  Entries,
  Entry,
  Format,
  Generate,
  ListEntry,
  NumberEntry,
  ObjectEntry,
  PemEntry,
  SettingOf,
  Settings,
  SwitchEntry,
  TextEntry,
} from './types.js'
