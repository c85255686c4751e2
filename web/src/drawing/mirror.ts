import type { Media, Pieces } from '../api/client'
import type { Palette } from './palette'
import { binFor, extent } from './peakTiles'
import { identity, toRecording } from '../time/timeMap'
import { timeAt, xOf, type Viewport } from '../time/viewport'
import { drawWave, isSigned } from './wave'

export interface MirrorScene {
  view: Viewport
  widthPx: number
  top: number
  heightPx: number
  reference: Media
  recording: Media
  pieces: Pieces
  polarity: 1 | -1
  /** Others that lie behind the recording. */
  behind: readonly { media: Media; pieces: Pieces; polarity: 1 | -1 }[]
  /** Near by: both over one line, the reference behind. */
  over: boolean
  /** The piece that a person chose. */
  selected: number | null
  palette: Palette
}

/** The reference above the axis, the recording below it, so that matching peaks meet at the line. */
export function drawMirror(ctx: CanvasRenderingContext2D, s: MirrorScene): void {
  const axisY = s.top + Math.round(s.heightPx / 2)
  const reachPx = s.heightPx / 2 - 4
  const shared = { view: s.view, widthPx: s.widthPx, axisY, reachPx, over: s.over }
  const whole = identity(s.reference.duration_s ?? 0)
  drawWave(ctx, {
    ...shared,
    media: s.reference,
    pieces: whole,
    up: -1,
    gain: gainFor(s.reference, whole, s.view, s.widthPx),
    polarity: 1,
    color: s.palette.slate,
    faint: s.palette['slate-soft'],
  })
  for (const other of s.behind)
    drawWave(ctx, {
      ...shared,
      media: other.media,
      pieces: other.pieces,
      up: 1,
      gain: gainFor(other.media, other.pieces, s.view, s.widthPx),
      polarity: other.polarity,
      color: s.palette['ink-soft'],
      faint: s.palette.line,
    })
  // The one in hand lets what lies behind it shine through.
  ctx.globalAlpha = s.behind.length ? 0.7 : 1
  drawWave(ctx, {
    ...shared,
    media: s.recording,
    pieces: s.pieces,
    up: 1,
    gain: gainFor(s.recording, s.pieces, s.view, s.widthPx),
    polarity: s.polarity,
    color: s.palette.rust,
    faint: s.palette['rust-soft'],
  })
  ctx.globalAlpha = 1
  const chosen = s.selected === null ? undefined : s.pieces[s.selected]
  if (chosen) {
    const [x0, x1] = [xOf(s.view, chosen[0]![0]!), xOf(s.view, chosen.at(-1)![0]!)]
    ctx.strokeStyle = s.palette.ink
    ctx.lineWidth = 1.5
    ctx.strokeRect(x0, axisY + 1, x1 - x0, reachPx)
    ctx.lineWidth = 1
  }
  ctx.fillStyle = s.palette['ink-soft']
  if (!(s.over && isSigned(s.view, s.reference))) ctx.fillRect(0, axisY - 0.5, s.widthPx, 1)
  drawEdges(ctx, s, axisY, reachPx)
}

/** Where a piece begins and ends: outside there is no recording, and that must not look like silence. */
function drawEdges(ctx: CanvasRenderingContext2D, s: MirrorScene, axisY: number, reachPx: number): void {
  ctx.strokeStyle = s.palette['ochre-soft']
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
  ctx.font = "11px 'Source Sans 3'"
  ctx.textBaseline = 'bottom'
  ctx.fillStyle = s.palette.ochre
  s.pieces.slice(1).forEach((knots, i) => {
    const endS = s.pieces[i]![s.pieces[i]!.length - 1]![0]!
    const gapS = knots[0]![0]! - endS
    // Only where there is room to read it.
    if (gapS / s.view.secondsPerPx > 60) ctx.fillText(`nothing for ${gapS.toFixed(2)} s`, xOf(s.view, endS) + 4, axisY + reachPx)
  })
}

/** Views shorter than this are about shape, not about level: what is in them fills their height. */
const SHAPE_BELOW_S = 4

/** The gain for a view: by the whole recording's peak from afar, by what is in the view when close. */
export function gainFor(media: Media, pieces: Pieces, view: Viewport, widthPx: number): number {
  const rate = media.sample_rate_hz ?? 48000
  const from = toRecording(pieces, timeAt(view, 0))
  const to = toRecording(pieces, timeAt(view, widthPx))
  if (from === null || to === null || view.secondsPerPx * widthPx > SHAPE_BELOW_S) return gainOf(media)
  const found = extent(media.content_hash, binFor(Math.max(view.secondsPerPx * rate, 4)), from * rate, to * rate)
  const peak = found ? Math.max(found.max, -found.min) : 0
  return peak > 0.0002 ? 0.95 / peak : gainOf(media)
}

/** A gain that lets the loudest sample nearly fill the height. */
export const gainOf = (media: Media): number => (media.peak_dbfs == null ? 1 : 1 / Math.max(10 ** (media.peak_dbfs / 20), 0.003))
