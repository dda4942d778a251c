/** Names that hosts, shells and tools give meaning to; programs may read them without declaring them. */
const namesOfHosts = new Set([
  'HOME',
  'PATH',
  'PWD',
  'USER',
  'LOGNAME',
  'SHELL',
  'TERM',
  'LANG',
  'TZ',
  'TMPDIR',
  'TEMP',
  'TMP',
  'EDITOR',
  'VISUAL',
  'PAGER',
  'DISPLAY',
  'HOSTNAME',
  'COLUMNS',
  'LINES',
  'OSTYPE',
  'APPDATA',
  'LOCALAPPDATA',
  'USERPROFILE',
  'SYSTEMROOT',
  'COMSPEC',
  'PATHEXT',
  'CI',
  'NODE_ENV',
  'NODE_OPTIONS',
  'NODE_PATH',
  'NO_COLOR',
  'FORCE_COLOR',
  'COLORTERM',
  'DEBUG',
  'MODE',
  'DEV',
  'PROD',
  'SSR',
  'BASE_URL',
  'MAPPA_STAGE',
  'MAPPA_ROOT',
  'MAPPA_SET',
  'HTTP_PROXY',
  'HTTPS_PROXY',
  'NO_PROXY',
])

/** Tells whether hosts give a name to what listens there: a program that had a value of its own would follow it from then on. */
export function isGivenByHosts(name: string): boolean {
  return name === 'PORT' || name === 'HOST' || name === 'IP'
}

/** Tells whether a host, a shell or a tool gives a name its meaning. */
export function isHostName(name: string): boolean {
  return (
    namesOfHosts.has(name.toUpperCase()) ||
    /^(?:npm_|XDG_|LC_|SSH_|GIT_|NODE_(?:EXTRA_|DEBUG|NO_|TLS_|V8_|REPL_|PENDING_|DISABLE_|ICU_|PRESERVE_|REDIRECT_|SKIP_|COMPILE_|TEST_CONTEXT|UNIQUE_|CHANNEL_|USE_)|TERM_|CLICOLOR)/.test(
      name,
    )
  )
}
