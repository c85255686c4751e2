import { xOf, type Viewport } from '../geometry/viewport'

export interface Dot {
  tRefS: number
  lagMs: number
  quality: number
  agrees: boolean
}

export interface TraceScene {
  widthPx: number
  heightPx: number
  view: Viewport
  now: readonly Dot[]
  before: readonly Dot[]
  colors: { dot: string; faint: string; zero: string; band: string; text: string; differ: string }
}

const SCALES_MS = [0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000]
/** Below this a difference between two microphones has no meaning. */
const UNHEARD_MS = 0.1

/** The smallest round scale that shows what agrees, ms. */
export function scaleFor(dots: readonly Dot[]): number {
  const most = Math.max(0.005, ...dots.filter((d) => d.agrees).map((d) => Math.abs(d.lagMs)))
  return SCALES_MS.find((scale) => scale >= most * 1.2) ?? 2000
}

export function drawTrace(ctx: CanvasRenderingContext2D, s: TraceScene): void {
  const scale = scaleFor([...s.now, ...s.before])
  const middle = s.heightPx / 2
  const yOf = (ms: number): number => middle - (Math.max(-1, Math.min(1, ms / scale)) * (s.heightPx - 24)) / 2
  ctx.fillStyle = s.colors.band
  const band = yOf(-Math.min(UNHEARD_MS, scale)) - yOf(Math.min(UNHEARD_MS, scale))
  ctx.fillRect(0, middle - band / 2, s.widthPx, band)
  ctx.fillStyle = s.colors.zero
  ctx.fillRect(0, middle - 0.5, s.widthPx, 1)
  for (const [dots, color, alpha] of [[s.before, s.colors.faint, 0.8], [s.now, s.colors.dot, 1]] as const) {
    ctx.globalAlpha = alpha
    for (const dot of dots) {
      const radius = 1.5 + Math.min(Math.sqrt(dot.quality) * 0.35, 3.5)
      ctx.beginPath()
      ctx.arc(xOf(s.view, dot.tRefS), yOf(dot.lagMs), radius, 0, 7)
      if (dot.agrees) {
        ctx.fillStyle = color
        ctx.fill()
      } else {
        ctx.strokeStyle = s.colors.differ
        ctx.stroke()
      }
    }
  }
  ctx.globalAlpha = 1
  ctx.fillStyle = s.colors.text
  ctx.font = "11px 'Source Sans 3'"
  ctx.textBaseline = 'middle'
  ctx.fillText(`+${scale} ms late`, 4, yOf(scale))
  ctx.fillText('0', 4, middle - 8)
  ctx.fillText(`−${scale} ms early`, 4, yOf(-scale))
}
