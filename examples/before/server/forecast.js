const WEATHER_KEY_PARAM = 'appid'
const weatherApiKey = 'b7f3a9d204c84e1fa6650e9d13c2477b'

const isProduction = process.env.NODE_ENV === 'production'
const mapServer = isProduction ? 'https://maps.fennelhill.example/v3' : 'http://localhost:4190/v3'

/** Where a hive's forecast is asked for. */
export function forecast(hive) {
  const url = `https://weather.fennelhill.example/v2/places/${encodeURIComponent(hive)}?${WEATHER_KEY_PARAM}=${weatherApiKey.length}`
  const tiles = new URL('https://tiles.fennelhill.example/12/2048/1361.png')
  const socket = 'wss://live.fennelhill.example/readings'
  return { url, mapServer, tiles: tiles.href, socket, icon: iconOf('rain'), schema }
}

function iconOf(kind) {
  return `<svg xmlns="http://www.w3.org/2000/svg" data-kind="${kind}"></svg>`
}

export const schema = { $schema: 'https://json-schema.org/draft/2020-12/schema', type: 'object' }
export const licence = 'https://opensource.org/licenses/MIT'
export const checksum = '9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08'
export const palette = { primary: '#f2b134', accent: '#ed553b' }
