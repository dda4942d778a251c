import { COLLECTOR_URL, TILE_KEY } from 'virtual:mappa/settings'
import type { Hive } from './readings.js'

const svgSpace = 'http://www.w3.org/2000/svg'
/** Metres that the map shows in each direction, and of one of its tiles. */
const width = 800
const height = 480
const tile = 160

/** Draws hives on a map; each is a button that chooses it. */
export function drawMap(
  place: HTMLElement,
  hives: readonly Hive[],
  alarmed: ReadonlySet<string>,
  choose: (hive: string) => void,
): void {
  const svg = element('svg', { viewBox: `0 0 ${width} ${height}`, role: 'group', 'aria-label': 'Map of the hives' })
  for (let x = 0; x < width; x += tile)
    for (let y = 0; y < height; y += tile) {
      const href = new URL(`/tiles/${x / tile}/${y / tile}.svg?key=${encodeURIComponent(TILE_KEY)}`, COLLECTOR_URL).href
      svg.append(element('image', { href, x, y, width: tile, height: tile }))
    }
  for (const { hive, weight, east, north } of hives) {
    const label = `${hive}, ${weight.toFixed(1)} kg${alarmed.has(hive) ? ', swarm alert' : ''}`
    const mark = element('g', {
      transform: `translate(${width / 2 + east} ${height / 2 - north})`,
      class: alarmed.has(hive) ? 'hive alarmed' : 'hive',
      role: 'button',
      tabindex: 0,
      'aria-label': label,
      'data-hive': hive,
    })
    mark.append(
      element('circle', { r: 34, class: 'ring' }),
      element('path', { d: 'M-16 18h32v-12h-32zM-14 4h28v-12h-28zM-18 -10h36l-5 -8h-26z', class: 'box' }),
      ...(alarmed.has(hive) ? [textElement('!', { x: 24, y: -18, class: 'alarm' })] : []),
      textElement(hive, { y: 38, dy: '1em', class: 'name' }),
      textElement(`${weight.toFixed(1)} kg`, { y: 38, dy: '2.05em', class: 'weight' }),
    )
    mark.addEventListener('click', () => choose(hive))
    mark.addEventListener('keydown', (event) => {
      if (event.key !== 'Enter' && event.key !== ' ') return
      event.preventDefault()
      choose(hive)
    })
    svg.append(mark)
  }
  place.replaceChildren(svg)
}

/** Marks the hive that is shown in the chart. */
export function markChosen(place: HTMLElement, hive: string): void {
  for (const mark of place.querySelectorAll('.hive'))
    mark.setAttribute('aria-pressed', String(mark.getAttribute('data-hive') === hive))
}

function element(name: string, attributes: Readonly<Record<string, string | number>>): SVGElement {
  const made = document.createElementNS(svgSpace, name)
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, String(value))
  return made
}

function textElement(text: string, attributes: Readonly<Record<string, string | number>>): SVGElement {
  const made = element('text', attributes)
  made.textContent = text
  return made
}
