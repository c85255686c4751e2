import type { Bend } from '../api/client'
import type { Palette } from './palette'
import { xOf, type Viewport } from '../time/viewport'

type Tie = Bend['ties'][number]

/** Ties nearer to each other than this are not told apart: only what is held or chosen is drawn. */
const LEAST_PX = 5
const HANDLE_PX = 3

/** Ties that can be drawn apart in a view, with their numbers: those of both ends stand outside. */
export function drawnTies(view: Viewport, widthPx: number, ties: readonly Tie[], chosen: number | null): number[] {
  const found: number[] = []
  let lastX = -Infinity
  ties.forEach((tie, index) => {
    const x = xOf(view, tie.lies_s)
    if (x < -20 || x > widthPx + 20) return
    if (index === chosen || tie.held || x - lastX >= LEAST_PX) {
      found.push(index)
      lastX = x
    }
  })
  return found
}

interface TiesScene {
  view: Viewport
  widthPx: number
  fromY: number
  axisY: number
  toY: number
  ties: readonly Tie[]
  chosen: number | null
  palette: Palette
}

/** Each tie as one line through both halves: straight where the sound lies on its moment, kinked at the axis where not. */
export function drawTies(ctx: CanvasRenderingContext2D, s: TiesScene): void {
  for (const index of drawnTies(s.view, s.widthPx, s.ties, s.chosen)) {
    const tie = s.ties[index]!
    const [above, below] = [xOf(s.view, tie.t_ref), xOf(s.view, tie.lies_s)]
    ctx.beginPath()
    ctx.moveTo(above, s.fromY)
    ctx.lineTo(above, s.axisY - 8)
    ctx.lineTo(below, s.axisY + 8)
    ctx.lineTo(below, s.toY)
    ctx.strokeStyle = tie.followed ? s.palette.moss : s.palette['ink-soft']
    ctx.globalAlpha = index === s.chosen ? 1 : tie.followed ? 0.7 : 0.4
    ctx.lineWidth = index === s.chosen ? 2 : 1
    ctx.setLineDash(tie.followed ? [] : [2, 3])
    ctx.stroke()
    ctx.setLineDash([])
    if (tie.held || index === s.chosen) {
      ctx.fillStyle = ctx.strokeStyle
      // A held tie has a square head, one that is free a round one.
      ctx.beginPath()
      if (tie.held) ctx.rect(below - HANDLE_PX, s.axisY + 8 - HANDLE_PX, 2 * HANDLE_PX, 2 * HANDLE_PX)
      else ctx.arc(below, s.axisY + 8, HANDLE_PX, 0, 7)
      ctx.fill()
    }
  }
  ctx.globalAlpha = 1
  ctx.lineWidth = 1
}

/** Suggestions nearer to each other than this on average are not drawn: they would be a grey band. */
const LEAST_APART_PX = 8
const TICK_PX = 6

/** Moments on which a tie may be laid, as faint ticks from the axis, up or down. */
export function drawMoments(
  ctx: CanvasRenderingContext2D,
  s: { view: Viewport; widthPx: number; axisY: number; up: -1 | 1; timesS: readonly number[]; color: string },
): void {
  const shown = s.timesS.map((t) => xOf(s.view, t)).filter((x) => x >= 0 && x <= s.widthPx)
  if (shown.length * LEAST_APART_PX > s.widthPx) return
  ctx.fillStyle = s.color
  ctx.globalAlpha = 0.6
  for (const x of shown) ctx.fillRect(Math.round(x), s.up === -1 ? s.axisY - TICK_PX : s.axisY, 1, TICK_PX)
  ctx.globalAlpha = 1
}

/** By how much a dragged sound is moved: onto the nearest moment where one is within reach, s. */
export function settledBy(fromS: number, byS: number, timesS: readonly number[], withinS: number): number {
  const to = fromS + byS
  let best: number | null = null
  for (const t of timesS) if (Math.abs(t - to) <= withinS && (best === null || Math.abs(t - to) < Math.abs(best - to))) best = t
  return best === null ? byS : best - fromS
}
