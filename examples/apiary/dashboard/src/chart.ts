import { CategoryScale, Chart, Filler, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js'
import type { Reading } from './readings.js'

Chart.register(CategoryScale, Filler, LineController, LineElement, LinearScale, PointElement, Tooltip)
let chart: Chart | undefined

const clock = new Intl.DateTimeFormat('en-GB', {
  weekday: 'short',
  hour: '2-digit',
  minute: '2-digit',
  timeZone: 'UTC',
})
/** `Sun 14:05` */
export const timeText = (time: number) => clock.format(time)

/** Draws a hive's weight over time. What it shows is also said in words, for those who cannot see it. */
export function drawWeight(canvas: HTMLCanvasElement, hive: string, readings: readonly Reading[]): void {
  const weights = readings.map(({ weight }) => weight)
  canvas.setAttribute(
    'aria-label',
    `Weight of hive ${hive}: ${weights.map((weight) => weight.toFixed(1)).join(', ')} kg`,
  )
  chart?.destroy()
  chart = new Chart(canvas, {
    type: 'line',
    data: {
      labels: readings.map(({ time }) => timeText(time)),
      datasets: [
        {
          label: 'kg',
          data: weights,
          borderColor: '#8a5a00',
          backgroundColor: 'rgba(214, 158, 46, 0.25)',
          fill: true,
          cubicInterpolationMode: 'monotone',
          pointRadius: 3,
        },
      ],
    },
    options: {
      animation: false,
      maintainAspectRatio: false,
      scales: {
        x: { ticks: { maxTicksLimit: 6, color: '#3f3a2f', maxRotation: 0 }, grid: { display: false } },
        y: { grace: '10%', ticks: { color: '#3f3a2f' }, title: { display: true, text: 'kg', color: '#3f3a2f' } },
      },
    },
  })
}
