import type { MatchCurve } from '../api/client'
import type { Palette } from './palette'

export interface CurveScene {
  widthPx: number
  heightPx: number
  curve: MatchCurve
  candidatesS: readonly number[]
  currentS: number | null
  palette: Palette
}

const endS = (curve: MatchCurve): number => curve.start_s + curve.heights.length * curve.step_s

/** The offset under a pixel, s; inverse of `xOfOffset`. */
export const offsetAt = (curve: MatchCurve, x: number, widthPx: number): number =>
  curve.start_s + (x / widthPx) * (endS(curve) - curve.start_s)
export const xOfOffset = (curve: MatchCurve, offsetS: number, widthPx: number): number =>
  ((offsetS - curve.start_s) / (endS(curve) - curve.start_s)) * widthPx

/** Draws the highest value under each pixel, and a mark at every possible place. */
export function drawCurve(ctx: CanvasRenderingContext2D, s: CurveScene): void {
  const { heights } = s.curve
  const columns = Math.round(s.widthPx)
  const tops = new Float32Array(columns)
  for (let i = 0; i < heights.length; i++) {
    const x = Math.min(columns - 1, Math.floor((i / heights.length) * columns))
    tops[x] = Math.max(tops[x]!, heights[i]!)
  }
  const highest = Math.max(6, ...tops)
  const yOf = (height: number): number => s.heightPx - 2 - (height / highest) * (s.heightPx - 16)
  ctx.beginPath()
  ctx.moveTo(0, s.heightPx)
  tops.forEach((height, x) => ctx.lineTo(x + 0.5, yOf(height)))
  ctx.lineTo(s.widthPx, s.heightPx)
  ctx.fillStyle = s.palette.sunken
  ctx.fill()
  ctx.beginPath()
  tops.forEach((height, x) => (x ? ctx.lineTo(x + 0.5, yOf(height)) : ctx.moveTo(0.5, yOf(height))))
  ctx.strokeStyle = s.palette.slate
  ctx.lineWidth = 1
  ctx.stroke()
  s.candidatesS.forEach((offsetS) => {
    const x = xOfOffset(s.curve, offsetS, s.widthPx)
    const column = Math.min(columns - 1, Math.max(0, Math.floor(x)))
    const top = Math.max(tops[column - 1] ?? 0, tops[column]!, tops[column + 1] ?? 0)
    const current = offsetS === s.currentS
    ctx.beginPath()
    ctx.arc(x, yOf(top), current ? 4 : 3, 0, 7)
    ctx.fillStyle = s.palette.rust
    ctx.strokeStyle = s.palette.rust
    if (current) ctx.fill()
    else ctx.stroke()
  })
}
