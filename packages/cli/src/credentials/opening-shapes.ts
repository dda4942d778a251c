/** A private key in text form (RFC 7468). */
export function isPrivateKey(text: string): boolean {
  return /-----BEGIN [A-Z ]*PRIVATE KEY-----/.test(text)
}

/** A signed token (RFC 7519): three parts of base64url, the first of which starts as JSON does. */
export function isSignedToken(text: string): boolean {
  return /^eyJ[\w-]{8,}\.[\w-]{8,}\.[\w-]{8,}$/.test(text)
}

/** A key that says itself what it is for: `sms_live_…`, `tile-test-…`. */
export function isLabelledKey(text: string): boolean {
  return /^[a-z]{2,12}[_-](?:live|test|prod|secret|private)[_-][A-Za-z0-9_-]{6,}$/.test(text)
}

/** A URL with the name and password of a user in it. */
export function hasUserInformation(text: string): boolean {
  return /^[a-z][a-z0-9+.-]*:\/\/[^/?#\s:@]*:[^/?#\s@$]+@/i.test(text)
}

/** Marks of a placeholder. */
export function isPlaceholderText(text: string): boolean {
  return (
    /^<.*>$|^\[[A-Za-z _-]+\]$|^x{3,}$|^\*{4,}$|^\.{3}$|^…$|^tbd$|^fill[-_ ]?(?:me|this)/i.test(text) ||
    /^(?:your|my|insert|put|enter|paste|replace|add|change[-_ ]?(?:me|this|it)|todo|placeholder|dummy|redacted)(?![a-z])/i.test(
      text,
    ) ||
    /^(?:[Yy]our|[Ii]nsert|[Ee]nter|[Pp]aste|[Rr]eplace)[A-Z][a-z]/.test(text) ||
    /(?:^|[-_ ])(?:goes[-_ ]here|here|changeme)$/i.test(text)
  )
}

/** Text of eight characters or more that has letters and digits, and is neither words nor a date nor a version. */
export function looksLikeKey(text: string): boolean {
  return (
    text.length >= 8 &&
    text.length <= 500 &&
    /^[A-Za-z0-9+/_=.~:-]+$/.test(text) &&
    /[0-9]/.test(text) &&
    /[A-Za-z]/.test(text) &&
    !alphabet.test(text) &&
    !/^v?\d+(?:\.\d+)+|^\d{4}-\d\d-\d\d|^[a-z]+(?:[-_.][a-z]+)*[-_.]?\d{1,2}$|\.[a-z]{2,5}$|^[./]/i.test(text) &&
    shareOfWords(text) < 0.6
  )
}

const alphabet = /abcdef|ghijkl|012345|zyxwv/i

/** Long text of letters and digits that nobody made up: by length, kinds of characters, entropy, and that it holds no words. */
export function isRandom(text: string): boolean {
  if (text.length < 20 || text.length > 500 || !/^[A-Za-z0-9+/_=.~-]+$/.test(text)) return false
  if (!/[0-9]/.test(text) || !/[A-Za-z]/.test(text) || /^sha\d+-/.test(text)) return false
  // Alphabets, and names of files.
  if (alphabet.test(text) || /\.[a-z]{2,5}$/.test(text)) return false
  return entropy(text) > 3.5 && shareOfWords(text) < 0.4
}

/** The share of a text that could be words: at least four letters, lower case or after one capital, with a vowel and a consonant. */
function shareOfWords(text: string): number {
  let letters = 0
  for (const [word] of text.matchAll(/[A-Z]?[a-z]{3,}/g))
    if (word.length >= 4 && /[aeiouy]/i.test(word) && /[^aeiouy]/i.test(word)) letters += word.length
  return letters / text.length
}

/** Shannon entropy of the characters, in bits. */
function entropy(text: string): number {
  const counts = new Map<string, number>()
  for (const char of text) counts.set(char, (counts.get(char) ?? 0) + 1)
  let bits = 0
  for (const count of counts.values()) bits -= (count / text.length) * Math.log2(count / text.length)
  return bits
}

/** Tells whether where a service is comes with what opens it. */
export function isSecretConnection(text: string): boolean {
  return hasUserInformation(text) || /[?&;](?:password|pwd|token|key|sig|secret|access_token)=/i.test(text)
}

/** Looks like a chosen password: lower and upper case, digits and punctuation, without a blank. */
export function isStrongPassword(value: string): boolean {
  const kinds = [/[a-z]/, /[A-Z]/, /[0-9]/, /[!#%&*+,./:;=?@^_~-]/]
  return value.length <= 64 && !/[\s(){}<>[\]|\\$'"`]/.test(value) && kinds.every((kind) => kind.test(value))
}

/** Placeholders, references to other values, and values that are plainly made up. */
export function isMadeUp(value: string): boolean {
  return (
    isPlaceholderText(value) ||
    /^urn:/i.test(value) ||
    (!isLabelledKey(value) && /password|secret|token/i.test(value)) ||
    /\$\{|\$\(|\{\{|<%|%[A-Z_]+%|^\$[A-Za-z_]|process\.env|import\.meta|\bexample\b|\bsample\b|\bdummy\b|\bfake\b|\bmock\b|\bplaceholder\b|\bredacted\b|secrets\./i.test(
      value,
    ) ||
    /(.)\1{5}|(.{2,4})\2{3}|0123|1234|abcd/i.test(value)
  )
}

/** Tells whether an address with a password is one that is made up, or leads nowhere else. */
export function isMadeUpAddress(address: string): boolean {
  const [, user = '', password = '', host = ''] = /^[^:]+:\/\/([^:@/]*):([^@/]*)@([^/:?#]*)/.exec(address) ?? []
  if (isMadeUp(password) || isUsualPassword(password) || password.toLowerCase() === user.toLowerCase()) return true
  return (
    password.length < 6 ||
    /^(?:localhost|127\.|0\.0\.0\.0|\[::1\])|(?:^|\.)(?:example|test|invalid|localhost)(?:\.|$)|^(?:host|hostname|domain|server)$/i.test(
      host,
    ) ||
    /[<>{}[\]*$]/.test(user + password)
  )
}

/** Tells whether a password is one that everyone tries first. */
export function isUsualPassword(password: string): boolean {
  return usualPasswords.has(password.toLowerCase())
}

const usualPasswords = new Set(
  'pass password passwd pwd secret user username token changeme admin root test postgres mysql guest'.split(' '),
)
