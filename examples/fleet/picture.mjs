// How many collectors have a value, over time: as text, and as a page.

/** A line for each tenth of the time that it took. */
export function chartText(times, count, what) {
  if (times.length === 0) return '  None has said so.'
  const width = 50
  const end = times.at(-1)
  const lines = Array.from({ length: 5 }, (_, at) => {
    const time = (end * (at + 1)) / 5
    const many = times.filter((each) => each <= time).length
    return `  ${String(Math.ceil(time)).padStart(6)} ms  ${'█'.repeat(Math.round((many / count) * width)).padEnd(width, '·')}  ${many}`
  })
  const middle = times[Math.floor(times.length / 2)]
  return `${lines.join('\n')}\n  ${times.length} of ${count} ${what}; the median after ${round(middle)} ms, the last after ${round(end)} ms.`
}

const round = (time) => (time < 10 ? time.toFixed(1) : Math.round(time))

const [wide, high, left, top] = [340, 150, 36, 10]

/** A page with a curve for each step. */
export function picturePage(charts, count) {
  const figures = charts.map(({ title, what, times }) => {
    const end = niceEnd(times.at(-1) ?? 1)
    const x = (time) => left + (time / end) * wide
    const y = (many) => top + high - (many / count) * high
    const steps = times.map((time, at) => `H${x(time).toFixed(1)}V${y(at + 1).toFixed(1)}`).join('')
    const ticks = [0, end / 2, end].map(
      (time) => `<text x="${x(time)}" y="${top + high + 18}" text-anchor="middle">${time} ms</text>`,
    )
    const rows = [0, count / 2, count].map(
      (many) =>
        `<path class="rule" d="M${left} ${y(many)}h${wide}"/><text x="${left - 6}" y="${y(many) + 4}" text-anchor="end">${many}</text>`,
    )
    const middle = times[Math.floor(times.length / 2)]
    return `<figure><figcaption><b>${title}</b><br>${times.length} of ${count} ${what}: the median after ${round(middle)} ms, the last after ${round(times.at(-1))} ms.</figcaption>
<svg viewBox="0 0 ${left + wide + 30} ${top + high + 28}" role="img" aria-label="${title} ${times.length} of ${count} ${what}.">
${rows.join('')}${ticks.join('')}<path class="curve" d="M${left} ${y(0)}${steps}H${left + wide}"/></svg></figure>`
  })
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>The fleet of Fennel Hill Apiary</title><style>
body{font:15px/1.45 system-ui,sans-serif;margin:24px 32px;color:#222;background:#fff}
h1{font-size:20px;margin:0 0 4px}p{margin:0 0 16px;color:#555}
main{display:grid;grid-template-columns:repeat(auto-fit,minmax(370px,1fr));gap:20px 28px}
figure{margin:0}figcaption{min-height:44px}svg{width:100%;height:auto}
text{font-size:11px;fill:#555}.rule{stroke:#ddd;fill:none}.curve{stroke:#9a5b00;stroke-width:2.5;fill:none;stroke-linejoin:round}
</style></head><body><h1>How many of ${count} collectors have a value, over time</h1>
<p>Each is a process of its own, and follows the store. Across: milliseconds since the change; upwards: collectors.</p>
<main>
${figures.join('\n')}
</main></body></html>
`
}

/** A round number above the last. */
function niceEnd(time) {
  const step = 10 ** Math.floor(Math.log10(time))
  return [1, 2, 5, 10].map((each) => each * step).find((each) => each >= time)
}
