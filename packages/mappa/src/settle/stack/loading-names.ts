/** What shells, loaders, interpreters and tools take code from, or the programs that they run. In capitals. */
const names = [
  ...[
    'PATH',
    'PATHEXT',
    'COMSPEC',
    'SHELL',
    'ENV',
    'BASH_ENV',
    'SHELLOPTS',
    'BASHOPTS',
    'PROMPT_COMMAND',
    'PS4',
    'IFS',
  ],
  ...['ZDOTDIR', 'FPATH', 'EDITOR', 'VISUAL', 'PAGER', 'BROWSER', 'GCONV_PATH'],
  ...['NODE_OPTIONS', 'NODE_PATH', 'NODE_REPL_EXTERNAL_MODULE', 'OPENSSL_CONF'],
  ...[
    'PYTHONPATH',
    'PYTHONHOME',
    'PYTHONSTARTUP',
    'PYTHONINSPECT',
    'PYTHONUSERBASE',
    'PYTHONWARNINGS',
    'PYTHONBREAKPOINT',
  ],
  ...['PERL5LIB', 'PERL5OPT', 'PERL5DB', 'PERLLIB', 'RUBYOPT', 'RUBYLIB', 'GEM_PATH', 'GEM_HOME', 'BUNDLE_GEMFILE'],
  ...['JAVA_TOOL_OPTIONS', 'JDK_JAVA_OPTIONS', '_JAVA_OPTIONS', 'CLASSPATH', 'PHPRC', 'PHP_INI_SCAN_DIR', 'LUA_INIT'],
  ...[
    'LUA_PATH',
    'LUA_CPATH',
    'DOTNET_STARTUP_HOOKS',
    'ELECTRON_RUN_AS_NODE',
    'RUSTC_WRAPPER',
    'R_PROFILE',
    'TCLLIBPATH',
  ],
]
const beginnings = [
  'LD_',
  'DYLD_',
  'GIT_',
  'NPM_CONFIG_',
  'CORECLR_',
  'COR_',
  'LUA_INIT_',
  'LUA_PATH_',
  'LUA_CPATH_',
  'BASH_FUNC_',
]

/** Names that decide what code a program loads; a layer file must not set them unless the legend says so. */
export function changesLoading(name: string): boolean {
  const upper = name.toUpperCase()
  return names.includes(upper) || beginnings.some((beginning) => upper.startsWith(beginning))
}
