/** What a legend file imports: `legend` and its types alone, so that a start compiles nothing else. */
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
