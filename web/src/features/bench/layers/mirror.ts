import type { Media, Pieces } from '../../../api/client'
import { color } from '../../../ui/theme'
import { identity } from '../geometry/timeMap'
import { xOf, type Viewport } from '../geometry/viewport'
import { drawWave } from './wave'

export interface MirrorScene {
  view: Viewport
  widthPx: number
  top: number
  heightPx: number
  reference: Media
  recording: Media
  pieces: Pieces
  polarity: 1 | -1
  gains: { reference: number; recording: number }
}

/** The reference above the axis, the recording below it, so that matching peaks meet at the line. */
export function drawMirror(ctx: CanvasRenderingContext2D, s: MirrorScene): void {
  const axisY = s.top + Math.round(s.heightPx / 2)
  const reachPx = s.heightPx / 2 - 4
  const shared = { view: s.view, widthPx: s.widthPx, axisY, reachPx }
  drawWave(ctx, {
    ...shared,
    media: s.reference,
    pieces: identity(s.reference.duration_s ?? 0),
    up: -1,
    gain: s.gains.reference,
    polarity: 1,
    color: color('slate'),
    faint: color('slate-soft'),
  })
  drawWave(ctx, {
    ...shared,
    media: s.recording,
    pieces: s.pieces,
    up: 1,
    gain: s.gains.recording,
    polarity: s.polarity,
    color: color('rust'),
    faint: color('rust-soft'),
  })
  ctx.fillStyle = color('ink-soft')
  ctx.fillRect(0, axisY - 0.5, s.widthPx, 1)
  drawEdges(ctx, s, axisY, reachPx)
}

/** Where a piece begins and ends: outside there is no recording, and that must not look like silence. */
function drawEdges(ctx: CanvasRenderingContext2D, s: MirrorScene, axisY: number, reachPx: number): void {
  ctx.strokeStyle = color('ochre-soft')
  ctx.setLineDash([3, 3])
  ctx.beginPath()
  for (const knots of s.pieces)
    for (const knot of [knots[0]!, knots[knots.length - 1]!]) {
      const x = Math.round(xOf(s.view, knot[0]!)) + 0.5
      ctx.moveTo(x, axisY)
      ctx.lineTo(x, axisY + reachPx)
    }
  ctx.stroke()
  ctx.setLineDash([])
}

/** A gain that lets the loudest sample nearly fill the height. */
export const gainOf = (media: Media): number => (media.peak_dbfs == null ? 1 : 1 / Math.max(10 ** (media.peak_dbfs / 20), 0.003))
