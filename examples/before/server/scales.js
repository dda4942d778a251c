const { LOG_LEVEL = 'info', HOME } = process.env
const stage = process.env.NODE_ENV ?? 'development'
const archives = { development: 'http://localhost:4193', production: 'https://archive.fennelhill.example' }
const units = { development: 'kilograms', production: 'kilograms' }

let quietHours = process.env.QUIET_HOURS
if (!quietHours) quietHours = '22-6'

function gatewayUrl() {
  switch (process.env.NODE_ENV) {
    case 'production':
      return 'https://scales.fennelhill.example/in'
    case 'staging':
      return 'https://scales.staging.fennelhill.example/in'
    default:
      return 'http://localhost:4192/in'
  }
}

let feedHost
if (stage === 'production') {
  feedHost = 'feed.fennelhill.example'
} else {
  feedHost = 'localhost'
}

/** How the hive scales send their weights. */
export function scales() {
  const limit = Number(process.env.SCALE_LIMIT || 40)
  const feedToken = process.env.FEED_TOKEN || 'feed_test_clover_3'
  return {
    limit,
    doubled: limit * 2,
    quietHours,
    level: LOG_LEVEL,
    home: HOME !== undefined,
    gateway: gatewayUrl(),
    feedHost,
    archive: archives[stage],
    unit: units[stage],
    signed: feedToken.length,
    tracing: process.env.TRACE_SCALES === 'true',
    note: process.env.SCALE_NOTE ?? null,
  }
}
