import type { Mark, Pieces, Recording, Window } from '../api/client'
import type { Palette } from './palette'
import { drawWave } from './wave'
import { xOf, type Viewport } from '../time/viewport'
import { identity, toReference } from '../time/timeMap'

export interface StripScene {
  recording: Recording
  view: Viewport
  widthPx: number
  heightPx: number
  isReference: boolean
  unsure: boolean
  /** The knots, and the windows of the proof, as far as they have come. */
  pieces: Pieces | null
  windows: readonly Window[]
  marks: readonly Mark[]
  palette: Palette
}

const AGREEMENT_PX = 9
const PIN_PX = 2.5
/** Half the height of the agreement stands for this much that is left over, ms. */
export const LEFT_MS = 0.5
/** The same for another performance, of which much more is left. */
export const BENT_LEFT_MS = 20

/** A recording where it belongs: its loudness above, and along the lower edge how it agrees with the reference. */
export function drawStrip(ctx: CanvasRenderingContext2D, s: StripScene): void {
  const { recording, view, widthPx, heightPx, palette } = s
  const wave = s.isReference ? palette.slate : palette.rust
  const pieces = s.isReference ? identity(recording.media.duration_s ?? 0) : s.pieces
  if (!pieces) return
  const bottom = s.isReference ? heightPx : heightPx - AGREEMENT_PX - 1
  for (const knots of pieces) {
    const x0 = xOf(view, knots[0]![0]!)
    const x1 = xOf(view, knots[knots.length - 1]![0]!)
    ctx.fillStyle = s.isReference ? palette.sheet : palette.sunken
    ctx.fillRect(x0, 0, x1 - x0, bottom)
    if (s.unsure) {
      ctx.strokeStyle = palette['ochre-soft']
      ctx.strokeRect(x0 + 0.5, 0.5, x1 - x0 - 1, heightPx - 1)
    }
  }
  // The other places that fit, dashed.
  if (s.unsure && recording.map) {
    ctx.strokeStyle = palette['ochre-soft']
    ctx.setLineDash([4, 3])
    for (const rival of recording.judgement?.candidates.slice(1) ?? []) {
      const byPx = (rival.offset_s - recording.map.offset_s) / view.secondsPerPx
      ctx.strokeRect(
        xOf(view, recording.map.start_ref_s) + byPx,
        0.5,
        (recording.map.end_ref_s - recording.map.start_ref_s) / view.secondsPerPx,
        heightPx - 1,
      )
    }
    ctx.setLineDash([])
  }
  // A pause or lost data: where the next piece begins later than the last one ended.
  pieces.slice(1).forEach((knots, i) => {
    const last = pieces[i]![pieces[i]!.length - 1]!
    const [x0, x1] = [xOf(view, last[0]!), xOf(view, knots[0]![0]!)]
    ctx.strokeStyle = palette['ochre-soft']
    ctx.lineWidth = 1.5
    ctx.setLineDash([3, 2])
    ctx.strokeRect(x0, 1, Math.max(x1 - x0, 2), heightPx - 2)
    ctx.setLineDash([])
  })
  const gain = recording.media.peak_dbfs == null ? 1 : 1 / Math.max(10 ** (recording.media.peak_dbfs / 20), 0.01)
  drawWave(ctx, {
    view,
    media: recording.media,
    pieces,
    widthPx,
    axisY: bottom,
    reachPx: bottom - 3,
    up: -1,
    gain,
    polarity: 1,
    over: false,
    color: wave,
    faint: wave,
  })
  drawPins(ctx, s, pieces)
  if (!s.isReference) drawAgreement(ctx, s, heightPx - AGREEMENT_PX)
}

/** Marks as pins along the upper edge: found ones hollow, a person's filled. */
function drawPins(ctx: CanvasRenderingContext2D, s: StripScene, pieces: Pieces): void {
  ctx.strokeStyle = s.isReference ? s.palette.slate : s.palette.rust
  for (const mark of s.marks) {
    const at = toReference(pieces, mark.t_rec)
    if (at === null) continue
    const x = Math.round(xOf(s.view, at)) + 0.5
    ctx.beginPath()
    ctx.moveTo(x - PIN_PX, 0.5)
    ctx.lineTo(x + PIN_PX, 0.5)
    ctx.lineTo(x, 0.5 + 2 * PIN_PX)
    ctx.closePath()
    ctx.fillStyle = mark.id === null ? s.palette.sheet : ctx.strokeStyle
    ctx.fill()
    ctx.stroke()
  }
}

function drawAgreement(ctx: CanvasRenderingContext2D, s: StripScene, top: number): void {
  const trace = s.windows
  const { map } = s.recording
  if (!map) return
  const leftMs = map.bent ? BENT_LEFT_MS : LEFT_MS
  const [left, right] = [xOf(s.view, map.start_ref_s), xOf(s.view, map.end_ref_s)]
  trace.forEach((window, i) => {
    const before = trace[i - 1]?.t_ref ?? 2 * window.t_ref - (trace[i + 1]?.t_ref ?? window.t_ref + 1)
    const after = trace[i + 1]?.t_ref ?? 2 * window.t_ref - before
    // The first and the last window stand for all up to the edge.
    const x0 = i === 0 ? Math.max(left, xOf(s.view, 0)) : xOf(s.view, (before + window.t_ref) / 2)
    const x1 = i === trace.length - 1 ? right : xOf(s.view, (window.t_ref + after) / 2)
    const agrees = window.verdict === 'agrees'
    if (window.verdict === 'nothing') return
    ctx.globalAlpha = agrees ? 0.45 + 0.55 * Math.min(Math.max(window.agreement, 0), 1) : 1
    ctx.fillStyle = agrees ? s.palette.moss : s.palette['ochre-soft']
    // What does not agree is half as high as well: colour alone must not tell.
    ctx.fillRect(x0, agrees ? top : top + AGREEMENT_PX / 2, Math.max(x1 - x0 - 1, 1), agrees ? AGREEMENT_PX : AGREEMENT_PX / 2)
  })
  ctx.globalAlpha = 1
  // What is left over, as a line: straight along the middle where the recording is in step.
  ctx.strokeStyle = s.palette.paper
  ctx.lineWidth = 1
  ctx.beginPath()
  let open = false
  for (const window of trace) {
    const y = top + AGREEMENT_PX / 2 - (Math.max(-1, Math.min(1, window.lag_ms / leftMs)) * (AGREEMENT_PX - 2)) / 2
    const agrees = window.verdict === 'agrees'
    if (!agrees) open = false
    else if (open) ctx.lineTo(xOf(s.view, window.t_ref), y)
    else ctx.moveTo(xOf(s.view, window.t_ref), y)
    if (agrees) open = true
  }
  ctx.stroke()
}
