const greens = ['#c9d9a4', '#d3dfb0', '#bfd196', '#dbe3bd']

/** A map tile of Fennel Hill, drawn: meadows with hedges, and paths that meet at the tiles' edges. Stands in for a tile service. */
export function tileSvg(x: number, y: number): string {
  const green = greens[Math.abs(x * 7 + y * 5) % greens.length]
  const bushes = Array.from({ length: 6 }, (_, at) => {
    const [east, north] = [(x * 53 + y * 31 + at * 47) % 150, (x * 29 + y * 67 + at * 59) % 150]
    return `<circle cx="${5 + Math.abs(east)}" cy="${5 + Math.abs(north)}" r="${4 + (at % 3)}" fill="#9db56c"/>`
  })
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 160 160"><rect width="160" height="160" fill="${green}"/>${bushes.join('')}<path d="M0 80q40 ${y % 2 ? -26 : 26} 80 0t80 0" fill="none" stroke="#f3ead0" stroke-width="5"/></svg>`
}
