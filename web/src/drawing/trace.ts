import type { Palette } from './palette'
import { xOf, type Viewport } from '../time/viewport'

export interface Dot {
  tRefS: number
  lagMs: number
  quality: number
  verdict: 'agrees' | 'differs' | 'nothing'
}

/** The map as lines, one for each piece. */
export type MapLines = readonly (readonly { tRefS: number; ms: number }[])[]

export interface TraceScene {
  widthPx: number
  heightPx: number
  view: Viewport
  /** ± ms that the height shows. */
  scale: number
  now: readonly Dot[]
  before: readonly Dot[]
  lines: MapLines
  hovered: Dot | null
  palette: Palette
}

const SCALES_MS = [0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1e3, 2e3, 5e3, 1e4, 2e4, 5e4, 1e5]
/** Below this a difference between two microphones has no meaning. */
const UNHEARD_MS = 0.1
const EDGE_PX = 12

/** The smallest round scale that shows what agrees, and the map, ms. */
export function scaleFor(dots: readonly Dot[], lines: MapLines): number {
  const agreeing = dots.filter((d) => d.verdict === 'agrees')
  // Where most agree, the odd one out may lie beyond the edge.
  const shown = (3 * agreeing.length > dots.length ? agreeing : dots.filter((d) => d.verdict !== 'nothing')).map((d) => Math.abs(d.lagMs))
  // One by one: a map may have more knots than a call takes arguments.
  let most = Math.max(0.005, ...shown)
  for (const line of lines) for (const knot of line) most = Math.max(most, Math.abs(knot.ms))
  return SCALES_MS.find((scale) => scale >= most * 1.2) ?? SCALES_MS.at(-1)!
}

const yOf = (ms: number, heightPx: number, scale: number): number =>
  heightPx / 2 - (Math.max(-1, Math.min(1, ms / scale)) * (heightPx - 2 * EDGE_PX)) / 2
/** Inverse of the height of a timing difference, ms; beyond the edges it runs on. */
export const msAt = (y: number, heightPx: number, scale: number): number => ((heightPx / 2 - y) * 2 * scale) / (heightPx - 2 * EDGE_PX)

export function drawTrace(ctx: CanvasRenderingContext2D, s: TraceScene): void {
  const middle = s.heightPx / 2
  const y = (ms: number): number => yOf(ms, s.heightPx, s.scale)
  ctx.fillStyle = s.palette.heard
  const band = y(-Math.min(UNHEARD_MS, s.scale)) - y(Math.min(UNHEARD_MS, s.scale))
  ctx.fillRect(0, middle - band / 2, s.widthPx, band)
  ctx.fillStyle = s.palette.ink
  ctx.fillRect(0, middle - 0.5, s.widthPx, 1)
  drawMap(ctx, s, y)
  for (const [dots, color, alpha] of [
    [s.before, s.palette['rust-soft'], 0.8],
    [s.now, s.palette.rust, 1],
  ] as const) {
    ctx.globalAlpha = alpha
    for (const dot of dots) {
      const radius = 1.5 + Math.min(Math.sqrt(dot.quality) * 0.35, 3.5) + (dot === s.hovered ? 2 : 0)
      const [x, at] = [xOf(s.view, dot.tRefS), y(dot.lagMs)]
      ctx.beginPath()
      // By shape as well as by colour: round agrees, a standing square differs, a ring says nothing.
      if (dot.verdict === 'differs') diamond(ctx, x, at, radius * 1.3)
      else ctx.arc(x, at, radius, 0, 7)
      if (dot.verdict === 'nothing') {
        ctx.strokeStyle = s.palette['ink-soft']
        ctx.stroke()
      } else {
        ctx.fillStyle = dot.verdict === 'agrees' ? color : s.palette.ochre
        ctx.fill()
      }
    }
  }
  ctx.globalAlpha = 1
  ctx.fillStyle = s.palette['ink-soft']
  ctx.font = "11px 'Source Sans 3'"
  ctx.textBaseline = 'middle'
  const unit = (ms: number): string => (ms >= 1000 ? `${ms / 1000} s` : `${ms} ms`)
  ctx.fillText(`+${unit(s.scale)} late`, 4, y(s.scale))
  ctx.fillText('0', 4, middle - 8)
  ctx.fillText(`−${unit(s.scale)} early`, 4, y(-s.scale))
}

function diamond(ctx: CanvasRenderingContext2D, x: number, y: number, radius: number): void {
  ctx.moveTo(x, y - radius)
  ctx.lineTo(x + radius, y)
  ctx.lineTo(x, y + radius)
  ctx.lineTo(x - radius, y)
  ctx.closePath()
}

/** The map through the dots: a line for each piece, a dashed step where one gives way to the next. */
function drawMap(ctx: CanvasRenderingContext2D, s: TraceScene, y: (ms: number) => number): void {
  ctx.strokeStyle = s.palette.slate
  ctx.lineWidth = 1
  s.lines.forEach((line, i) => {
    ctx.beginPath()
    line.forEach((knot, k) => (k ? ctx.lineTo(xOf(s.view, knot.tRefS), y(knot.ms)) : ctx.moveTo(xOf(s.view, knot.tRefS), y(knot.ms))))
    ctx.stroke()
    const next = s.lines[i + 1]?.[0]
    const last = line.at(-1)
    if (!next || !last) return
    ctx.setLineDash([3, 3])
    ctx.strokeStyle = s.palette.ochre
    for (const x of [xOf(s.view, last.tRefS), xOf(s.view, next.tRefS)]) {
      ctx.beginPath()
      ctx.moveTo(Math.round(x) + 0.5, EDGE_PX)
      ctx.lineTo(Math.round(x) + 0.5, s.heightPx - EDGE_PX)
      ctx.stroke()
    }
    ctx.setLineDash([])
    ctx.strokeStyle = s.palette.slate
  })
}
