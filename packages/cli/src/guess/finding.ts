export type Kind =
  | 'credential'
  | 'address'
  | 'connection'
  | 'host'
  | 'port'
  | 'mail'
  | 'phone'
  /** Who an application is to a service: an id, a user, the name of a database. */
  | 'account'
  /** One of a few words by which an application behaves otherwise, or what code chooses by environment. */
  | 'choice'
  /** A number that bounds something. */
  | 'limit'
  | 'switch'
  | 'variable'

export type Confidence = 'high' | 'medium' | 'low'

/** A place where a setting or a key stands, or is read. Offsets are into the file's text, `[start, end)`. */
export interface Finding {
  readonly path: string
  readonly kind: Kind
  /** The whole literal, or the part of a template's text that is moved, or the whole expression that gives the value. */
  readonly start: number
  readonly end: number
  /** How it is written there, so that it can be replaced; `script`, `container` and `python` stand in files of other kinds. */
  readonly form:
    | 'string'
    | 'number'
    | 'boolean'
    | 'template-text'
    | 'markup'
    | 'expression'
    | 'pattern'
    | 'script'
    | 'container'
    | 'python'
  /** What goes into a layer; undefined if nothing is known of it here. */
  readonly value: string | undefined
  /** The stage that the value is for, if it is not for all. */
  readonly stage?: string | undefined
  /** Further values of single stages, where code chooses by environment. */
  readonly stages?: Readonly<Record<string, string>>
  /** What code asks for its environment where it chooses by it. */
  readonly asks?: string | undefined
  /** Findings of one group are one setting, whatever their values are. */
  readonly group?: string | undefined
  /** The name that the setting has already: a variable's. */
  readonly variable?: VariableUse
  /** What stays in code in front of it (`Bearer `) and behind it: an address keeps its path. */
  readonly lead: string
  readonly rest: string
  /** Code to put in front of what is read and behind it. */
  readonly frame?: readonly [string, string]
  /** What is to be removed besides. */
  readonly dropped?: readonly Range[]
  /** Where its values are written. */
  readonly literals: readonly Range[]
  /** Whether it counts only beside others of the same value: nothing but that value speaks for it. */
  readonly echo: boolean
  /** Whether it only marks where a real value belongs, and stays in code for as long as there is none. */
  readonly placeholder?: boolean
  /** Whether a comment says that everyone may see it. */
  readonly openly?: boolean
  /** A name of its file that must be asked for, or must open something, for the finding to count. */
  readonly ifUsed?: IfUsed | undefined
  /** Whether its file is one of those that each give a stage its values. */
  readonly ofStage?: boolean
  /** The stages that have such files, and its own one; undefined for what all share. */
  readonly stageFiles?: readonly string[]
  readonly inStage?: string | undefined
  /** Whether its file runs in a page. */
  readonly page?: boolean
  /** Whether a comment says that it stays in code. */
  readonly kept: boolean
  /** Where it starts; both count from 1. */
  readonly line: number
  readonly column: number
  /** The words of the name that it is given to, and of what it is a part of. */
  readonly words: readonly string[]
  readonly outer: readonly string[]
  readonly confidence: Confidence
  /** Why it was found: a sentence that does not repeat it. */
  readonly reason: string
}

/** What code has to do with a name, so that the value given to it is what it seems. */
export interface IfUsed {
  readonly name: string
  readonly as: 'address' | 'secret'
}

export interface Range {
  readonly start: number
  readonly end: number
}

/** What one read of a variable says of it. */
export interface VariableUse {
  readonly name: string
  /** What code takes when it has no value, as text, and how that is written. */
  readonly fallback: { readonly text: string; readonly form: 'string' | 'number' | 'boolean' } | undefined
  /** What code makes of the text. */
  readonly wanted: 'text' | 'number' | 'integer' | 'switch'
  /** For a switch: what it is without a value, and whether code asks for the contrary. */
  readonly without?: boolean
  readonly contrary?: boolean
  /** Whether code deals with there being no value. */
  readonly asks: boolean
  /** Whether code cannot go on without a value, or hardly. */
  readonly needs?: 'certain' | 'likely' | undefined
  /** The name of the object's member that code gives the value to: what asks for that asks for this. */
  readonly member?: string | undefined
  /** Whether it is no read, but gives the variable its value. */
  readonly given?: true
  /** Whether the text beside it is a credential. */
  readonly secret: boolean
  /** The read alone, without its fallback and what is made of it. */
  readonly bare: Range
  /** Why code could not take it from settings there. */
  readonly stuck?: string
  /** Where it is taken apart from its environment: the declaration, and what stays of it. */
  readonly pattern?: Pattern
}

/** `const { PORT = 4100, HOME } = process.env`: ranges of the declarator, what is taken apart, and each property. */
export interface Pattern extends Range {
  readonly from: Range
  readonly properties: readonly Range[]
  /** Which property it is, and the name that code gives it. */
  readonly own: number
  readonly local: string
}

/** A variable's entry, as far as code tells. */
export interface VariableEntry {
  readonly type: 'string' | 'port' | 'integer' | 'number' | 'boolean'
  readonly secret: boolean
  readonly default?: string | number | boolean
  /** Defaults of single stages, where no layer can give them to everyone. */
  readonly stageDefaults?: Readonly<Record<string, string | number | boolean>>
  /** The words that code has there, where only a few are known to it. */
  readonly enum?: readonly string[]
  readonly optional: boolean
  /** The stages that need a value, if it is optional in all others. */
  readonly neededIn?: readonly string[]
  /** Why it cannot be moved as it is. */
  readonly blocked?: string
}

/** A setting that is to be moved out of code, with every place where it stands. */
export interface Candidate {
  /** The variable's name: proposed, or the one that code reads already. */
  readonly name: string
  readonly kind: Kind
  readonly entry: VariableEntry
  readonly secret: boolean
  readonly reach: 'server' | 'browser'
  readonly confidence: Confidence
  readonly reason: string
  /** What all stages share; undefined if nothing is known, or each stage has its own. */
  readonly value: string | undefined
  /** The values of single stages, where they differ. */
  readonly stages: Readonly<Record<string, string>>
  /** Another candidate whose value its own is built on: a port in an address. */
  readonly builtOn?: string
  /** What code asks for its environment, where it chooses the value by that. */
  readonly asks: readonly string[]
  readonly sites: readonly Finding[]
  /** Why it cannot be moved as it is. */
  readonly blocked?: string
}
