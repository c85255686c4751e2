import type { Media, Pieces } from '../api/client'
import { binFor, extent } from './peakTiles'
import { toRecording } from '../time/timeMap'
import { timeAt, type Viewport } from '../time/viewport'

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
  /** Near by: over the axis itself, where the other lies too. */
  over: boolean
  color: string
  faint: string
}

/** Nearer than this, in samples for each pixel, single oscillations show: the wave is drawn as it is, with its sign. */
const SIGNED_BELOW = 64

export const isSigned = (view: Viewport, media: Media): boolean => view.secondsPerPx * (media.sample_rate_hz ?? 48000) <= SIGNED_BELOW

/**
 * From afar a recording stands on the axis, as high as its peaks, so that matching peaks of two recordings meet there.
 * Near by it is drawn as it is, above and below a line of its own: shapes are compared, and an inverted one shows.
 */
export function drawWave(ctx: CanvasRenderingContext2D, scene: WaveScene): void {
  const rate = scene.media.sample_rate_hz ?? 48000
  const samplesPerPx = scene.view.secondsPerPx * rate
  if (!isSigned(scene.view, scene.media)) return drawPeaks(ctx, scene, rate, binFor(samplesPerPx))
  const zeroY = scene.over ? scene.axisY : scene.axisY + (scene.up * scene.reachPx) / 2
  const reachPx = scene.over ? scene.reachPx : scene.reachPx / 2 - 2
  ctx.fillStyle = scene.faint
  ctx.fillRect(0, Math.round(zeroY) - 0.5, scene.widthPx, 0.5)
  const yOf = (value: number): number => zeroY - Math.max(-1, Math.min(1, value * scene.polarity * scene.gain)) * reachPx
  if (samplesPerPx < 1) drawSamples(ctx, scene, rate, yOf)
  else drawColumns(ctx, scene, rate, binFor(samplesPerPx), yOf)
}

function drawPeaks(ctx: CanvasRenderingContext2D, s: WaveScene, rate: number, bin: number): void {
  ctx.fillStyle = s.color
  for (let x = 0; x < s.widthPx; x++) {
    const from = toRecording(s.pieces, timeAt(s.view, x))
    const to = toRecording(s.pieces, timeAt(s.view, x + 1)) ?? from
    if (from === null || to === null) continue
    const found = extent(s.media.content_hash, bin, from * rate, Math.max(to * rate, from * rate + 1))
    if (!found) continue
    const height = Math.min(Math.max(found.max, -found.min, 0) * s.gain, 1) * s.reachPx
    ctx.fillRect(x, s.up === -1 ? s.axisY - height : s.axisY, 1, Math.max(height, 0.5))
  }
}

/** From the lowest to the highest sample of each column, joined to the column before. */
function drawColumns(ctx: CanvasRenderingContext2D, s: WaveScene, rate: number, bin: number, yOf: (value: number) => number): void {
  ctx.fillStyle = s.color
  for (let x = 0; x < s.widthPx; x++) {
    const from = toRecording(s.pieces, timeAt(s.view, x))
    const to = toRecording(s.pieces, timeAt(s.view, x + 1)) ?? from
    if (from === null || to === null) continue
    const found = extent(s.media.content_hash, bin, Math.floor(from * rate) - bin, Math.max(to * rate, from * rate + 1))
    if (!found) continue
    const [one, other] = [yOf(found.max), yOf(found.min)]
    ctx.fillRect(x, Math.min(one, other), 1, Math.max(Math.abs(one - other), 1))
  }
}

function drawSamples(ctx: CanvasRenderingContext2D, s: WaveScene, rate: number, yOf: (value: number) => number): void {
  const points: [number, number][] = []
  const pxPerSample = 1 / (s.view.secondsPerPx * rate)
  for (let x = -pxPerSample; x <= s.widthPx + pxPerSample; x += Math.max(pxPerSample, 1)) {
    const tRec = toRecording(s.pieces, timeAt(s.view, x))
    if (tRec === null) continue
    // The nearest sample's own place, so that dots stand where samples are.
    const sample = Math.round(tRec * rate)
    const found = extent(s.media.content_hash, 1, sample, sample + 1)
    if (found) points.push([x + (sample - tRec * rate) * pxPerSample, yOf(found.max)])
  }
  ctx.beginPath()
  ctx.strokeStyle = s.color
  ctx.lineWidth = 1.5
  points.forEach(([x, y], i) => (i ? ctx.lineTo(x, y) : ctx.moveTo(x, y)))
  ctx.stroke()
  if (pxPerSample <= 6) return
  ctx.fillStyle = s.color
  for (const [x, y] of points) ctx.fillRect(x - 1.5, y - 1.5, 3, 3)
}
