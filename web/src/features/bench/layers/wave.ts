import type { Media, Pieces } from '../../../api/client'
import { binFor, extent } from '../../peaks/peakTiles'
import { toRecording } from '../geometry/timeMap'
import { timeAt, type Viewport } from '../geometry/viewport'

export interface WaveScene {
  view: Viewport
  media: Media
  pieces: Pieces
  widthPx: number
  /** y of the common axis, and how far the wave may reach from it; `up` −1 draws above the axis, 1 below. */
  axisY: number
  reachPx: number
  up: -1 | 1
  gain: number
  polarity: 1 | -1
  color: string
  faint: string
}

/**
 * Draws a recording away from the axis: what the pressure does above zero in full colour, what it does below zero faint
 * beside it, so that matching peaks of two recordings meet at the axis and an inverted one shows at once.
 */
export function drawWave(ctx: CanvasRenderingContext2D, scene: WaveScene): void {
  const rate = scene.media.sample_rate_hz ?? 48000
  const samplesPerPx = scene.view.secondsPerPx * rate
  if (samplesPerPx < 1) drawSamples(ctx, scene, rate)
  else drawColumns(ctx, scene, rate, binFor(samplesPerPx))
}

function drawColumns(ctx: CanvasRenderingContext2D, s: WaveScene, rate: number, bin: number): void {
  // One array for all: a pair a column would be a thousand objects a frame to collect.
  const lows = new Float32Array(Math.ceil(s.widthPx))
  ctx.fillStyle = s.color
  const dense = s.view.secondsPerPx * rate > 64
  for (let x = 0; x < s.widthPx; x++) {
    const from = toRecording(s.pieces, timeAt(s.view, x))
    const to = toRecording(s.pieces, timeAt(s.view, x + 1)) ?? from
    if (from === null || to === null) continue
    const found = extent(s.media.content_hash, bin, from * rate, Math.max(to * rate, from * rate + 1))
    if (!found) continue
    const [plus, minus] = s.polarity === 1 ? [found.max, -found.min] : [-found.min, found.max]
    const shown = dense ? Math.max(plus, minus) : plus
    const height = Math.min(Math.max(shown, 0) * s.gain, 1) * s.reachPx
    ctx.fillRect(x, s.up === -1 ? s.axisY - height : s.axisY, 1, Math.max(height, 0.5))
    if (!dense && minus > 0) lows[x] = Math.min(minus * s.gain, 1) * s.reachPx
  }
  ctx.fillStyle = s.faint
  lows.forEach((height, x) => height > 0 && ctx.fillRect(x, s.up === -1 ? s.axisY - height : s.axisY, 1, height))
}

function drawSamples(ctx: CanvasRenderingContext2D, s: WaveScene, rate: number): void {
  const points: [number, number][] = []
  const pxPerSample = 1 / (s.view.secondsPerPx * rate)
  for (let x = -pxPerSample; x <= s.widthPx + pxPerSample; x += Math.max(pxPerSample / 1, 1)) {
    const tRec = toRecording(s.pieces, timeAt(s.view, x))
    if (tRec === null) continue
    // The nearest sample's own place, so that dots stand where samples are.
    const sample = Math.round(tRec * rate)
    const found = extent(s.media.content_hash, 1, sample, sample + 1)
    if (!found) continue
    points.push([x + (sample - tRec * rate) * pxPerSample, found.max * s.polarity * s.gain])
  }
  for (const [sign, color] of [[-1, s.faint], [1, s.color]] as const) {
    ctx.beginPath()
    ctx.strokeStyle = color
    ctx.lineWidth = 1.5
    let first = true
    for (const [x, value] of points) {
      const y = s.axisY + s.up * Math.min(Math.max(value * sign, 0), 1) * s.reachPx
      if (first) ctx.moveTo(x, y)
      else ctx.lineTo(x, y)
      first = false
    }
    ctx.stroke()
  }
  if (pxPerSample > 6) {
    ctx.fillStyle = s.color
    for (const [x, value] of points) if (value > 0) ctx.fillRect(x - 1.5, s.axisY + s.up * Math.min(value, 1) * s.reachPx - 1.5, 3, 3)
  }
}
