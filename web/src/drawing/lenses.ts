import type { Palette } from './palette'
import { xOf, type Viewport } from '../time/viewport'

export interface LensScene {
  view: Viewport
  atY: number
  centresS: readonly number[]
  held: number | null
  palette: Palette
}

/** Marks on the axis where the loupes look; a held one is filled. */
export function drawLenses(ctx: CanvasRenderingContext2D, s: LensScene): void {
  ctx.strokeStyle = s.palette.ink
  ctx.lineWidth = 1.5
  s.centresS.forEach((centreS, i) => {
    const x = xOf(s.view, centreS)
    ctx.beginPath()
    ctx.arc(x, s.atY, 4.5, 0, 7)
    ctx.fillStyle = i === s.held ? s.palette.ink : s.palette.sheet
    ctx.fill()
    ctx.stroke()
  })
  ctx.lineWidth = 1
}
