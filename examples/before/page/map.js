// A public key: it works on our own pages only.
const tileKey = 'tile_live_hilltop_42'
const attribution = 'Map data from https://maps.fennelhill.example/credits'
const version = '2.11.0'

export function mapOf(hive) {
  const image = document.createElementNS('http://www.w3.org/2000/svg', 'image')
  image.setAttribute('href', `https://tiles.fennelhill.example/${hive}.png?key=${tileKey}&v=${version}`)
  image.setAttribute('aria-label', attribution)
  return image
}
