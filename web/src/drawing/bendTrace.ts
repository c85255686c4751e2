import type { Bend } from '../api/client'
import type { Palette } from './palette'
import { xOf, type Viewport } from '../time/viewport'

type Tie = Bend['ties'][number]

const EDGE_PX = 12
/** The stretches between ties stand in a strip along the bottom. */
const STRIP_PX = 9
const SCALES_MS = [10, 20, 50, 100, 200, 500, 1e3, 2e3, 5e3, 1e4]
const HATCH_PX = 4
/** Of the limit: less is not seen. */
const LEAST_DRAWN = 0.05

export interface BendScene {
  widthPx: number
  heightPx: number
  view: Viewport
  bend: Bend
  /** ± ms that the height shows. */
  scale: number
  chosen: number | null
  /** A tie on its way, ms late. */
  dragged: { index: number; lateMs: number } | null
  palette: Palette
}

/** The smallest round scale that shows the differences within a stretch, all of them where there is none in it, ms. */
export function bendScale(ties: readonly Pick<Tie, 't_ref' | 'late_ms'>[], startS: number, endS: number): number {
  const within = ties.filter((tie) => tie.t_ref >= startS && tie.t_ref <= endS)
  const most = (within.length ? within : ties).reduce((high, tie) => Math.max(high, Math.abs(tie.late_ms)), 5)
  return SCALES_MS.find((one) => one >= most * 1.1) ?? SCALES_MS.at(-1)!
}

const middleOf = (heightPx: number): number => (heightPx - STRIP_PX) / 2
const yOf = (ms: number, heightPx: number, scale: number): number =>
  middleOf(heightPx) - (Math.max(-1, Math.min(1, ms / scale)) * (heightPx - STRIP_PX - 2 * EDGE_PX)) / 2
/** Inverse of the height of a difference, ms. */
export const lateAt = (y: number, heightPx: number, scale: number): number =>
  ((middleOf(heightPx) - y) * 2 * scale) / (heightPx - STRIP_PX - 2 * EDGE_PX)

/** The tie nearest to a point, within reach; null where there is none. */
export function tieAt(
  scene: Pick<BendScene, 'view' | 'heightPx' | 'scale' | 'bend'>,
  x: number,
  y: number,
  reachPx: number,
): number | null {
  let best: number | null = null
  let nearest = reachPx
  scene.bend.ties.forEach((tie, index) => {
    const away = Math.hypot(xOf(scene.view, tie.t_ref) - x, yOf(tie.late_ms, scene.heightPx, scene.scale) - y)
    if (away < nearest) [best, nearest] = [index, away]
  })
  return best
}

/** The raw differences faint, what is taken away solid, the band that is left alone, and how far each stretch is bent. */
export function drawBendTrace(ctx: CanvasRenderingContext2D, s: BendScene): void {
  const y = (ms: number): number => yOf(ms, s.heightPx, s.scale)
  const middle = middleOf(s.heightPx)
  const { ties, leave_below_ms } = s.bend
  if (leave_below_ms > 0) {
    ctx.fillStyle = s.palette.heard
    ctx.fillRect(0, y(leave_below_ms), s.widthPx, y(-leave_below_ms) - y(leave_below_ms))
  }
  ctx.fillStyle = s.palette['line-strong']
  ctx.fillRect(0, middle - 0.5, s.widthPx, 1)
  const late = (tie: Tie, index: number): number => (s.dragged?.index === index ? s.dragged.lateMs : tie.late_ms)
  // As performed: every tie, faint.
  ctx.strokeStyle = s.palette['rust-soft']
  ctx.lineWidth = 1
  ctx.beginPath()
  ties.forEach((tie, i) => (i ? ctx.lineTo : ctx.moveTo).call(ctx, xOf(s.view, tie.t_ref), y(late(tie, i))))
  ctx.stroke()
  // What is taken away: through those that are followed.
  ctx.strokeStyle = s.palette.slate
  ctx.lineWidth = 1.5
  ctx.beginPath()
  let begun = false
  ties.forEach((tie) => {
    if (!tie.followed) return
    const [x, at] = [xOf(s.view, tie.t_ref), y(-tie.moved_ms)]
    if (begun) ctx.lineTo(x, at)
    else ctx.moveTo(x, at)
    begun = true
  })
  ctx.stroke()
  ctx.lineWidth = 1
  ties.forEach((tie, index) => {
    const x = xOf(s.view, tie.t_ref)
    if (x < -8 || x > s.widthPx + 8) return
    const at = y(late(tie, index))
    const radius = (index === s.chosen ? 2.5 : 0) + 1 + 2 * tie.certainty
    ctx.beginPath()
    if (tie.held) ctx.rect(x - radius, at - radius, 2 * radius, 2 * radius)
    else ctx.arc(x, at, radius, 0, 7)
    if (tie.followed) {
      ctx.fillStyle = tie.kept_back ? s.palette.ochre : s.palette.rust
      ctx.fill()
    } else {
      ctx.strokeStyle = s.palette['ink-soft']
      ctx.stroke()
    }
    if (index === s.chosen) {
      ctx.strokeStyle = s.palette.ink
      ctx.stroke()
    }
  })
  drawStretches(ctx, s)
  ctx.fillStyle = s.palette['ink-soft']
  ctx.font = "11px 'Source Sans 3'"
  ctx.textBaseline = 'middle'
  const unit = s.scale >= 1000 ? `${s.scale / 1000} s` : `${s.scale} ms`
  ctx.fillText(`+${unit} late`, 4, y(s.scale))
  ctx.fillText(`−${unit} early`, 4, y(-s.scale))
}

/** How far each stretch is bent: fuller the further, hatched up where it is longer and down where it is shorter. */
function drawStretches(ctx: CanvasRenderingContext2D, s: BendScene): void {
  const top = s.heightPx - STRIP_PX
  ctx.fillStyle = s.palette.sunken
  ctx.fillRect(0, top, s.widthPx, STRIP_PX)
  for (const one of s.bend.stretches) {
    const [from, to] = [Math.max(0, xOf(s.view, one.start_s)), Math.min(s.widthPx, xOf(s.view, one.end_s))]
    if (to <= from || one.share < LEAST_DRAWN) continue
    ctx.save()
    ctx.beginPath()
    ctx.rect(from, top, to - from, STRIP_PX)
    ctx.clip()
    ctx.strokeStyle = one.at_limit ? s.palette.ochre : s.palette.slate
    ctx.globalAlpha = 0.25 + 0.75 * one.share
    ctx.lineWidth = one.at_limit ? 2 : 1
    ctx.beginPath()
    const lean = one.percent > 0 ? STRIP_PX : -STRIP_PX
    for (let x = Math.floor(from / HATCH_PX) * HATCH_PX - STRIP_PX; x < to + STRIP_PX; x += HATCH_PX) {
      ctx.moveTo(x, s.heightPx)
      ctx.lineTo(x + lean, top)
    }
    ctx.stroke()
    ctx.restore()
  }
  ctx.strokeStyle = s.palette.ochre
  ctx.setLineDash([3, 3])
  for (const cut of s.bend.cuts) {
    const x = Math.round(xOf(s.view, cut.t_ref)) + 0.5
    ctx.beginPath()
    ctx.moveTo(x, EDGE_PX)
    ctx.lineTo(x, top)
    ctx.stroke()
  }
  ctx.setLineDash([])
}
