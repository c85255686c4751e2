import type { Palette } from './palette'
import { xOf, type Viewport } from '../time/viewport'

/** A mark where it lies in reference time. */
export interface DrawnMark {
  tRefS: number
  name: string
  /** A person put it; what was found by listening is faint. */
  own: boolean
  chosen: boolean
}

export interface MarksScene {
  view: Viewport
  widthPx: number
  /** The mark stands on one of these edges and points to the other. */
  fromY: number
  toY: number
  marks: readonly DrawnMark[]
  color: string
  palette: Palette
}

/** How far a mark that nobody chose reaches in, and how wide its foot is. */
const SHORT_PX = 11
const FOOT_PX = 3.5
/** Names stand where no other name is this near. */
const NAME_PX = 90

/** Marks as pins from an edge: found ones hollow, a person's filled and named, the chosen one through the whole wave. */
export function drawMarks(ctx: CanvasRenderingContext2D, s: MarksScene): void {
  const down = s.toY > s.fromY ? 1 : -1
  ctx.font = "11px 'Source Sans 3'"
  ctx.textBaseline = down > 0 ? 'top' : 'bottom'
  let namedX = -NAME_PX
  for (const mark of s.marks) {
    const x = Math.round(xOf(s.view, mark.tRefS)) + 0.5
    if (x < -FOOT_PX || x > s.widthPx + FOOT_PX) continue
    ctx.strokeStyle = mark.chosen ? s.palette.ink : s.color
    ctx.fillStyle = mark.chosen ? s.palette.ink : mark.own ? s.color : s.palette.sheet
    ctx.globalAlpha = mark.own || mark.chosen ? 1 : 0.7
    ctx.lineWidth = 1
    ctx.beginPath()
    ctx.moveTo(x, s.fromY + down * FOOT_PX * 2)
    ctx.lineTo(x, mark.chosen ? s.toY : s.fromY + down * SHORT_PX)
    ctx.stroke()
    ctx.beginPath()
    ctx.moveTo(x - FOOT_PX, s.fromY)
    ctx.lineTo(x + FOOT_PX, s.fromY)
    ctx.lineTo(x, s.fromY + down * FOOT_PX * 2)
    ctx.closePath()
    ctx.fill()
    ctx.stroke()
    if (mark.name && x - namedX >= NAME_PX) {
      ctx.fillStyle = s.palette.ink
      ctx.fillText(mark.name, x + 6, s.fromY + down * 2)
      namedX = x
    }
  }
  ctx.globalAlpha = 1
}
