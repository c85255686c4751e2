import type { Palette } from './palette'
import { clock } from '../time/times'
import { ticks, xOf, type Viewport } from '../time/viewport'

export interface AxisScene {
  view: Viewport
  widthPx: number
  heightPx: number
  palette: Palette
}

/** Draws times along the top edge, finer the closer the view. */
export function drawAxis(ctx: CanvasRenderingContext2D, { view, widthPx, heightPx, palette }: AxisScene): void {
  const { stepS, timesS } = ticks(view, widthPx)
  const decimals = stepS >= 1 ? 0 : Math.min(5, Math.ceil(-Math.log10(stepS) - 1e-9))
  ctx.font = "11px 'Source Sans 3'"
  ctx.textBaseline = 'top'
  for (const timeS of timesS) {
    const x = Math.round(xOf(view, timeS)) + 0.5 // half a pixel, or a 1 px line smears over two
    ctx.strokeStyle = palette.line
    ctx.lineWidth = 1
    ctx.beginPath()
    ctx.moveTo(x, 0)
    ctx.lineTo(x, heightPx)
    ctx.stroke()
    ctx.fillStyle = palette['ink-soft']
    ctx.fillText(clock(timeS, decimals), x + 4, 2)
  }
}
