/**
 * Names by which shells, loaders, runtimes, compilers and tools take code, programs or trust from the environment, by what they
 * do. No list of them is whole, so each is a pattern of its kind where there is one. In upper case.
 */
const steeringPatterns = [
  // Where programs, their settings and the person's own folder are looked for.
  'PATH|PATHEXT|COMSPEC|HOME|USERPROFILE|APPDATA|XDG_(?:CONFIG|DATA)_(?:HOME|DIRS)|IFS|CDPATH|FPATH|ZDOTDIR|GCONV_PATH|TERMINFO(?:_DIRS)?',
  // What a loader, a shell or a runtime takes in first, whatever follows.
  '(?:LD|DYLD|MALLOC|BASH_FUNC)_.*|.*_PRELOAD|ENV|BASH_ENV|SHELLOPTS|BASHOPTS|PROMPT_COMMAND|PS4|R_PROFILE(?:_USER)?',
  '.*STARTUP(?:_HOOKS|_SCRIPT)?|(?:CORECLR|COR)_.*|LUA_INIT(?:_.*)?|TS_NODE_.*|VIMINIT|EXINIT',
  // Where modules are looked for.
  '(?:NODE|PYTHON|CLASS|RUBY|GEM|TCLLIB|SASS|GO|JULIA_LOAD|ERL_LIBS|PERL5LIB|LUA_C?)_?(?:PATH|HOME|ROOT)(?:_.*)?|PYTHON(?!.*_(?:HOST|PORT|URL)$)[A-Z]+',
  'PERL(?:5(?:LIB|OPT|DB)|LIB)|RUBY(?:OPT|LIB)|PHPRC|PHP_INI_SCAN_DIR|ERL_LIBS|TCLLIBPATH|BUNDLE_.*|NODE_(?:REPL_.*|COMPILE_CACHE|V8_COVERAGE|ICU_DATA)',
  // Options and flags of runtimes, compilers and tools.
  '_?(?:JAVA|JDK|JVM|JRE|MAVEN|MVN|GRADLE|SBT|SCALA|KOTLIN|ANT|GROOVY|CATALINA|LEIN|ERL|ELIXIR|NODE|DENO|BUN|MOCHA|NYC|LESS|GREP|TAR|GZIP|ZSTD|XZ|ASAN|UBSAN|TSAN|LSAN)_(?:.*_)?(?:OPTS?|OPTIONS|ARGS)',
  '(?:C|CPP|CXX|LD|AS|AR|F|FC|OBJC|M|MAKE|GNUMAKE|RUST|RUSTDOC|GO|NVCC|SWIFT)FLAGS|(?:CGO|CARGO|GCC|CLANG|RUSTUP|CMAKE|COREPACK|ESBUILD|YARN|NPM_CONFIG|PNPM|ELECTRON|DOTNET)_.*|GIT_(?!(?:.*_)?(?:SHA|COMMIT|HASH|BRANCH|TAG|REVISION|TOKEN|URL|REPO)$).*',
  'CC|CXX|CPP|LD|AR|AS|NM|RANLIB|MAKEFILES|GOPROXY|GOENV|GOROOT|GONOSUMDB|GOINSECURE|RUSTC|RUSTDOC|.*_WRAPPER',
  // Programs that others start: shells, pagers, editors, browsers, prompts.
  'SHELL|VISUAL|BROWSER|(?:.*_)?(?:PAGER|EDITOR|ASKPASS|RSH)|MANPAGER|LESS(?:OPEN|CLOSE|KEY|KEYIN|EDIT)|RSYNC_CONNECT_PROG|SVN_SSH|SSH_(?!.*(?:HOST|PORT|USER|KEY|PASSWORD)$).*',
  // Paths of binaries.
  '.*_(?:BINARY|EXECUTABLE|EXEC)(?:_(?:PATH|HOST|MIRROR))?|(?:CHROME|CHROMIUM|CHROMEDRIVER|FIREFOX|EDGE|GECKODRIVER|PYTHON|RUBY|NODE)_(?:BIN|PATH)',
  // Whom a program talks to, and whom it trusts.
  '(?:HTTPS?|ALL|NO|FTP|SOCKS[45]?|WSS?|RSYNC)_PROXY|NODE_(?:EXTRA_CA_CERTS|TLS_REJECT_UNAUTHORIZED|USE_ENV_PROXY|USE_SYSTEM_CA)|SSL_CERT_(?:FILE|DIR)|SSLKEYLOGFILE|OPENSSL_.*',
  '(?:CURL|REQUESTS|AWS|DENO|PIP|NIX_SSL|CARGO_HTTP)_(?:CA_BUNDLE|CA_FILE|CERT|CERT_FILE|CAINFO)|DENO_TLS_CA_STORE|HOSTALIASES|LOCALDOMAIN|RES_OPTIONS|RESOLV_HOST_CONF',
]

const steering = new RegExp(`^(?:${steeringPatterns.join('|')})$`)

/** Names that decide what code a program loads or whom it trusts; a layer file must not set them unless the legend says so. */
export function changesLoading(name: string): boolean {
  return steering.test(name.toUpperCase())
}
