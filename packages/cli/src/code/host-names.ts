/** Names that hosts, shells and tools give meaning to; programs may read them without declaring them. */
const namesOfHosts = new Set([
  '_',
  'SHLVL',
  'OLDPWD',
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

/** Names that `import.meta.env` has by itself under Vite; programs may have their own of these. */
const namesOfBundlers = new Set(['MODE', 'DEV', 'PROD', 'SSR', 'BASE_URL'])

/** Tells whether a bundler gives a name its meaning. */
export function isBundlerName(name: string): boolean {
  return namesOfBundlers.has(name)
}

/**
 * Names that CI systems and hosts set in what they run, from their references; those that projects set there themselves, such as
 * `GITHUB_TOKEN` and `AWS_REGION`, are not among them.
 */
const namesOfServices = new RegExp(
  `^(?:${[
    'CI_(?:API|BUILD|COMMIT|CONCURRENT|DEBUG|DEFAULT|DEPLOY_FREEZE|ENVIRONMENT|JOB|MERGE|NODE|OPEN|PAGES|PIPELINE|PROJECT|REGISTRY_IMAGE|REPOSITORY|RUNNER|SERVER|SHARED)\\w*',
    'GITLAB_(?:CI|FEATURES|USER_(?:EMAIL|ID|LOGIN|NAME))',
    'GITHUB_(?:ACTION\\w*|ACTOR\\w*|API_URL|BASE_REF|ENV|EVENT_NAME|EVENT_PATH|GRAPHQL_URL|HEAD_REF|JOB|OUTPUT|PATH|REF\\w*|REPOSITORY\\w*|RETENTION_DAYS|RUN_\\w+|SERVER_URL|SHA|STEP_SUMMARY|TRIGGERING_ACTOR|WORKFLOW\\w*|WORKSPACE)',
    'RUNNER_(?:ARCH|DEBUG|NAME|OS|TEMP|TOOL_CACHE)',
    '(?:BITBUCKET|BUILDKITE|CIRCLE|TRAVIS|DRONE|APPVEYOR|SEMAPHORE|TEAMCITY|JENKINS|CODEBUILD|BUDDY|CODESPACE|GITPOD)_\\w+',
    'CIRCLECI|TRAVIS|BUILDKITE|DRONE|APPVEYOR|SEMAPHORE|TF_BUILD|CODESPACES|BUILD_(?:ID|NUMBER|URL|BUILDID|SOURCEBRANCH\\w*)',
    'VERCEL(?:_(?:ENV|URL|REGION|BRANCH_URL|PROJECT_PRODUCTION_URL|DEPLOYMENT_ID|GIT_\\w+|TARGET_ENV|SKEW\\w+))?',
    'NETLIFY(?:_(?:DEV|LOCAL|IMAGES\\w*))?|DEPLOY_(?:PRIME_)?URL|CF_PAGES\\w*|COMMIT_REF|CACHED_COMMIT_REF',
    'RENDER(?:_(?:EXTERNAL|GIT|INSTANCE|SERVICE|DISCOVERY)\\w*)?',
    'RAILWAY_\\w+|FLY_(?:ALLOC|APP|IMAGE|MACHINE|PRIVATE|PROCESS|PUBLIC|REGION|VM)\\w*|HEROKU_\\w+|DYNO|SOURCE_VERSION|KOYEB_\\w+|ZEABUR_\\w+',
    'AWS_(?:LAMBDA|EXECUTION|CONTAINER|DEFAULT_OUTPUT|XRAY)\\w*|LAMBDA_(?:TASK_ROOT|RUNTIME_DIR)|_HANDLER|_X_AMZN_TRACE_ID',
    'K_(?:SERVICE|REVISION|CONFIGURATION)|FUNCTION_(?:TARGET|SIGNATURE_TYPE|NAME)|GAE_\\w+|CLOUD_RUN_\\w+|KUBERNETES_(?:SERVICE|PORT)\\w*',
    'WEBSITE_\\w+|FUNCTIONS_(?:WORKER|EXTENSION)\\w*|AZURE_FUNCTIONS_ENVIRONMENT',
    'JEST_WORKER_ID|TS_JEST|TS_NODE_\\w+|VITEST(?:_\\w+)?|MOCHA_\\w+|NODE_UNIQUE_ID|PM2_\\w+|pm_id|NODE_APP_INSTANCE|INVOCATION_ID|NOTIFY_SOCKET|LISTEN_(?:FDS|PID)|WSL_\\w+',
  ].join('|')})$`,
)

/** Tells whether a host, a shell or a tool gives a name its meaning. */
export function isHostName(name: string): boolean {
  return (
    namesOfHosts.has(name.toUpperCase()) ||
    namesOfServices.test(name) ||
    /^(?:npm_|XDG_|LC_|SSH_(?:AUTH_SOCK|AGENT_PID|ASKPASS|CLIENT|CONNECTION|TTY|ORIGINAL_COMMAND)$|GIT_(?:AUTHOR|COMMITTER|TRACE|CONFIG|DIR$|WORK_TREE|INDEX|OBJECT|ALTERNATE|CEILING|NAMESPACE|SSH|ASKPASS|TERMINAL|PAGER|EDITOR|SEQUENCE|EXEC_PATH|TEMPLATE|PREFIX|HTTP|SSL|ATTR|OPTIONAL|PROTOCOL|DEFAULT_HASH|REFLOG|MERGE|PROXY_COMMAND|NO_)|NODE_(?:EXTRA_|DEBUG|NO_|TLS_|V8_|REPL_|PENDING_|DISABLE_|ICU_|PRESERVE_|REDIRECT_|SKIP_|COMPILE_|TEST_CONTEXT|UNIQUE_|CHANNEL_|USE_)|TERM_(?:PROGRAM|SESSION)|CLICOLOR)/.test(
      name,
    )
  )
}
