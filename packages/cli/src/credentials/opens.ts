import { namesCredential, namesMisspelt, namesSomeKey } from './opening-names.js'
import {
  hasUserInformation,
  isLabelledKey,
  isMadeUp,
  isMadeUpAddress,
  isPrivateKey,
  isRandom,
  isSignedToken,
  isStrongPassword,
  looksLikeKey,
} from './opening-shapes.js'

/** Why a value opens something. */
export type Opening = 'private-key' | 'signed-token' | 'labelled-key' | 'address' | 'named'

/**
 * Whether a value opens something for sure, by what it looks like and by the words of its name: the one decision of `lift`,
 * which moves such a value with high confidence, and of `guard`, which finds it.
 */
export function openingOf(value: string, name: readonly string[]): Opening | undefined {
  return openingShape(value) ?? (opensByName(value, name) ? 'named' : undefined)
}

/** Judges a value without its surroundings. */
export function openingShape(value: string): Exclude<Opening, 'named'> | undefined {
  if (isPrivateKey(value)) return 'private-key'
  if (isSignedToken(value)) return 'signed-token'
  if (isLabelledKey(value) && /\d/.test(value) && value.length >= labelledMin && !isMadeUp(value)) return 'labelled-key'
  return hasUserInformation(value) && !isMadeUpAddress(value) ? 'address' : undefined
}

/** Shorter ones are names of tests and folders as often. Characters. */
const labelledMin = 16

/** Tells whether a name says that its value opens something. Those that `opensByName` asks about are found by it first. */
export function mayOpen(name: readonly string[]): boolean {
  return namesCredential(name) || namesSomeKey(name) || namesMisspelt(name)
}

/** Tells whether a value opens something for sure, since its name says so and it looks like it. */
export function opensByName(value: string, name: readonly string[]): boolean {
  if (value.length < valueMin || value.length > valueMax || isMadeUp(value)) return false
  if (namesCredential(name))
    return isRandom(value) || looksLikeKey(value) || isStrongPassword(value) || isPlainPassword(value)
  return (namesSomeKey(name) || namesMisspelt(name)) && looksLikeKey(value)
}

/** Shorter and longer texts open nothing, whatever their name. Characters. */
export const valueMin = 8
export const valueMax = 500

/** Letters and digits in one word, as people make passwords up: `honeycomb-42`. Not a date, a version, a file or a header. */
export function isPlainPassword(value: string): boolean {
  return (
    /^[\w!#%&*+,.:;=?@^~-]+$/.test(value) &&
    /[A-Za-z]/.test(value) &&
    /[0-9]/.test(value) &&
    !/^v?\d+(?:\.\d+)+|^\d{4}-\d\d-\d\d|\.[a-z]{2,5}$|^x-|[-_]v?\d$|^[a-z]+[A-Z]?[a-zA-Z]*\.[a-zA-Z.]+\d*$/i.test(value)
  )
}
