import type { ValueComment } from '../code/place.js'
import type { Taker } from './taker.js'

export type Kind =
  | 'credential'
  | 'address'
  | 'connection'
  | 'host'
  | 'port'
  | 'mail'
  | 'phone'
  /** The identity of an application at a service: an id, a user, the name of a database. */
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
  /** Its form in the file, so that it can be replaced; `script`, `container` and `python` are in files of other kinds. */
  readonly form:
    | 'string'
    | 'list'
    | 'number'
    | 'boolean'
    | 'template-text'
    | 'markup'
    | 'expression'
    | 'pattern'
    | 'script'
    | 'container'
    | 'python'
  /** The text for a layer; undefined if unknown here. */
  readonly value: string | undefined
  /** The stage that the value is for, if it is not for all. */
  readonly stage?: string | undefined
  /** Further values of single stages, where code chooses by environment. */
  readonly stages?: Readonly<Record<string, string>>
  /** The variable by which code chooses it. */
  readonly asks?: string | undefined
  /** Findings of one group are one setting, whatever their values are. */
  readonly group?: string | undefined
  /** The name that the setting has already: a variable's. */
  readonly variable?: VariableUse
  /** The text in front of it (`Bearer `) and behind it that stays in code: an address keeps its path. */
  readonly lead: string
  readonly rest: string
  /** Code to put in front of what is read and behind it. */
  readonly frame?: readonly [string, string]
  /** Other ranges to remove. */
  readonly dropped?: readonly Range[]
  /** The statements behind it, in order, that choose its value, too: they go with it. */
  readonly chain?: readonly Range[]
  /** The ranges of its values. */
  readonly literals: readonly Range[]
  /** True if it counts only beside others of the same value: nothing but that value speaks for it. */
  readonly echo: boolean
  /** True if it only marks where a real value belongs, and stays in code for as long as there is none. */
  readonly placeholder?: boolean
  /** True if a comment says that everyone may see it. */
  readonly openly?: boolean
  /** A name of its file that must be asked for, or must open something, for the finding to count. */
  readonly ifUsed?: IfUsed | undefined
  /** True if its file is one of those that each give a stage its values. */
  readonly ofStage?: boolean
  /** The stages that have such files, and its own one; undefined for what all share. */
  readonly stageFiles?: readonly string[]
  readonly inStage?: string | undefined
  /** True if its file runs in a page. */
  readonly page?: boolean
  /** True if a comment says that it stays in code. */
  readonly kept: boolean
  /** Its start; both count from 1. */
  readonly line: number
  readonly column: number
  /** The words of the name that it is given to, and of what it is a part of. */
  readonly words: readonly string[]
  readonly outer: readonly string[]
  /** What a comment says of it. */
  readonly said?: ValueComment | undefined
  /** What the value is given to, where that is known. */
  readonly taker?: Taker | undefined
  readonly confidence: Confidence
  /** Why it was found: a sentence that does not repeat it. */
  readonly reason: string
}

/** Conditions on the use of a name, without which a guess does not hold. */
export interface IfUsed {
  readonly name: string
  readonly as: 'address' | 'secret'
}

export interface Range {
  readonly start: number
  readonly end: number
}

/** Facts about a variable from one read of it. */
export interface VariableUse {
  readonly name: string
  /** The fallback in code, as text, and its range. */
  readonly fallback: { readonly text: string; readonly form: 'string' | 'number' | 'boolean' | 'list' } | undefined
  /** The type that code makes of the text. */
  readonly wanted: 'text' | 'number' | 'integer' | 'switch' | 'list'
  /** For a switch: what it is without a value, and whether code asks for the contrary. */
  readonly without?: boolean
  readonly contrary?: boolean
  /** True if code deals with there being no value. */
  readonly asks: boolean
  /** How certain it is that code needs a value. */
  readonly needs?: 'certain' | 'likely' | undefined
  /** The name of the object's member that code gives the value to: what asks for that asks for this. */
  readonly member?: string | undefined
  /** True if it is not a read, but gives the variable its value. */
  readonly given?: true
  /** True if the text beside it is a credential. */
  readonly secret: boolean
  /** The read alone, without its fallback and what is made of it. */
  readonly bare: Range
  /** Where the same expression reads it once more: `LIST ? LIST.split(',') : []`. */
  readonly again?: Range
  /** Why code could not take it from settings there. */
  readonly stuck?: string
  /** The destructuring that reads it: its declaration, and the rest of it. */
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

/** A default in the legend; a list is an array's. */
export type DefaultValue = string | number | boolean | readonly string[]

/** A variable's entry, as far as the code shows. */
export interface VariableEntry {
  readonly type: 'string' | 'port' | 'integer' | 'number' | 'boolean' | 'array'
  readonly secret: boolean
  readonly default?: DefaultValue
  /** Defaults of single stages, where no layer can give them to everyone. */
  readonly stageDefaults?: Readonly<Record<string, DefaultValue>>
  /** The words that code has there, where only a few are known to it. */
  readonly enum?: readonly string[]
  readonly optional: boolean
  /** The stages that need a value, if it is optional in all others. */
  readonly neededIn?: readonly string[]
  /** Why it cannot be moved as it is. */
  readonly blocked?: string
}

/** A text of a variable of which code made something else than settings do. */
export interface TextDifference {
  readonly text: string
  /** The values as code writes them; `refused` if a start with that text is. */
  readonly was: string
  readonly now: string
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
  /** The shared value; undefined if unknown, or if each stage has its own. */
  readonly value: string | undefined
  /** The values of single stages, where they differ. */
  readonly stages: Readonly<Record<string, string>>
  /** Another candidate whose value its own is built on: a port in an address. */
  readonly builtOn?: string
  /** The variables by which code chooses the value. */
  readonly asks: readonly string[]
  readonly sites: readonly Finding[]
  /** True if the legend has its entry already: only the reads in code move. */
  readonly declared?: true
  /** What comments say of it, for its entry. */
  readonly said?: ValueComment
  /** Why it cannot be moved as it is. */
  readonly blocked?: string
  /** What is another value afterwards, of texts that are not well formed. */
  readonly differences?: readonly TextDifference[]
  /** Why it is not shown that the program has the same values afterwards. */
  readonly unproved?: string
}
