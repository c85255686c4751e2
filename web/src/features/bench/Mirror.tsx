import { Box, Text } from '@chakra-ui/react'
import { memo, useCallback, useEffect, useMemo, useRef, useState, type PointerEvent } from 'react'
import { usePalette } from '../../ui/usePalette'
import { useCanvas, type Size } from '../../ui/useCanvas'
import { useWheel } from '../../ui/useWheel'
import { player, usePlayer } from '../../listening/player'
import { showHead } from '../../listening/showHead'
import { usePlayhead } from '../../listening/usePlayhead'
import { pieceAt, type Move } from '../../time/moves'
import { panned, timeAt, xOf, type Viewport } from '../../time/viewport'
import { drawAxis } from '../../drawing/axis'
import { drawLenses } from '../../drawing/lenses'
import { drawMarks } from '../../drawing/marks'
import { drawMirror } from '../../drawing/mirror'
import { drawMoments, drawnTies, drawTies, settledBy } from '../../drawing/ties'
import { coarsestOf, useBench, useBenchStore, viewOf } from './benchStore'
import { useDrawnMarks } from './marks'
import { useLaid } from './laidBehind'
import { useBend, useBendView } from './useBend'
import { scrub } from './scrub'
import { SETTLES_PX, useSuggested } from './suggested'
import { useTies } from './useTies'
import { useTraceKind } from './traceKind'
import { useWaveKind } from './waveKind'
import { useDrag, type Drag } from '../../ui/useDrag'

const AXIS_PX = 20
/** 232 px in a window 800 high. */
const MIRROR_HEIGHT = 'clamp(140px, 29vh, 400px)'
/** An edge of a piece is taken hold of from this far. */
const EDGE_PX = 6
/** Names stand inside of the marks' pins. */
const PIN_PX = 13
/** The loupes' marks on the axis, and from how far they are taken hold of. */
const LENS_Y = 13
const LENS_PX = 7

export const Mirror = memo(function Mirror() {
  const { reference, recording, pieces: heard, selection, piece, earlier, heldBack, centresS, heldLoupe } = useBench((s) => s)
  const view = useBench(viewOf)
  const store = useBenchStore()
  const { setView, select, choosePiece, preview, keep, drop, look, edit } = store.getState()
  const palette = usePalette()
  const head = useRef<HTMLDivElement>(null)
  const viewRef = useRef(view)
  viewRef.current = view
  const polarity = recording.map?.polarity ?? 1
  const over = useWaveKind((s) => s.over)
  const marks = useDrawnMarks()
  const bend = useBend()
  const tie = useBendView((s) => s.tie)
  const movedS = useBendView((s) => s.nudgedS + s.landingS)
  // As performed: where the recording would lie unbent, its ties kinked at the axis.
  const isPlain = useTraceKind((s) => s.kind) === 'recorded'
  const unbent = isPlain ? bend?.offset_s : undefined
  const durationS = recording.media.duration_s ?? 0
  const pieces = useMemo(
    () =>
      unbent === undefined
        ? heard
        : [
            [
              [unbent, 0],
              [unbent + durationS, durationS],
            ],
          ],
    [heard, unbent, durationS],
  )
  const lying = useMemo(
    () =>
      bend?.ties.map((one, index) => ({
        ...one,
        lies_s: (unbent === undefined ? one.lies_s : one.t_rec + unbent) + (index === tie ? movedS : 0),
      })) ?? [],
    [bend, unbent, tie, movedS],
  )
  const ties = useTies()
  const behind = useLaid()
  const suggested = useSuggested(pieces)
  const draw = useCallback(
    (ctx: CanvasRenderingContext2D, { widthPx, heightPx }: Size) => {
      drawAxis(ctx, { view, widthPx, heightPx, palette })
      if (selection) {
        ctx.fillStyle = palette.heard
        const x = xOf(view, selection.startS)
        ctx.globalAlpha = 0.8
        ctx.fillRect(x, 0, xOf(view, selection.endS) - x, heightPx)
        ctx.globalAlpha = 1
      }
      drawMirror(ctx, {
        view,
        widthPx,
        top: AXIS_PX,
        heightPx: heightPx - AXIS_PX,
        reference: reference.media,
        recording: recording.media,
        pieces,
        polarity,
        behind,
        over,
        selected: piece,
        palette,
      })
      const axisY = AXIS_PX + (heightPx - AXIS_PX) / 2
      drawMoments(ctx, { view, widthPx, axisY, up: -1, timesS: suggested.reference, color: palette['ink-soft'] })
      drawMoments(ctx, { view, widthPx, axisY, up: 1, timesS: suggested.recording, color: palette['ink-soft'] })
      if (bend) drawTies(ctx, { view, widthPx, fromY: AXIS_PX, axisY, toY: heightPx, ties: lying, chosen: tie, palette })
      drawMarks(ctx, { view, widthPx, fromY: AXIS_PX, toY: axisY, marks: marks.reference, color: palette.slate, palette })
      drawMarks(ctx, { view, widthPx, fromY: heightPx, toY: axisY, marks: marks.recording, color: palette.rust, palette })
      drawLenses(ctx, { view, atY: LENS_Y, centresS, held: heldLoupe, palette })
    },
    [
      view,
      selection,
      reference.media,
      recording.media,
      pieces,
      polarity,
      behind,
      over,
      piece,
      centresS,
      heldLoupe,
      marks,
      bend,
      lying,
      tie,
      suggested,
      palette,
    ],
  )
  const canvas = useCanvas(draw)

  useWheel(canvas, { setView, coarsest: coarsestOf(store.getState()), zooms: true })

  const middlePx = (): number => AXIS_PX + ((canvas.current?.clientHeight ?? 0) - AXIS_PX) / 2
  const base = useRef<Viewport | null>(null)
  const grip = useRef<ReturnType<typeof pieceAt>>(null)
  const lens = useRef(-1)
  const gripTie = useRef<number | null>(null)
  const [onEdge, setOnEdge] = useState(false)
  const kind = (drag: Drag): 'select' | 'pan' | 'move' => (drag.startY < AXIS_PX ? 'select' : drag.startY < middlePx() ? 'pan' : 'move')
  const moveOf = (d: Drag, from: Viewport): Move => {
    const byS = d.byX * from.secondsPerPx
    const at = grip.current
    if (at?.edge) return { kind: 'trim', index: at.index, edge: at.edge, tRefS: timeAt(from, d.startX + d.byX) }
    return at && at.index === piece ? { kind: 'slide', index: at.index, byS } : { kind: 'shift', byS }
  }
  const drag = useDrag({
    move: (d) => {
      if (!base.current) {
        base.current = view
        grip.current = pieceAt(pieces, timeAt(view, d.startX), EDGE_PX * view.secondsPerPx)
        lens.current = d.startY < AXIS_PX ? lensAt(d.startX) : -1
      }
      const from = base.current
      if (lens.current >= 0) look(lens.current, timeAt(from, d.startX + d.byX))
      else if (kind(d) === 'pan') setView(() => panned(from, -d.byX))
      else if (kind(d) === 'move') {
        if (gripTie.current === null) {
          gripTie.current = tieNear(d.startX) ?? -1
          // What keys have moved and not stored yet is stored first.
          if (gripTie.current >= 0) ties.choose(gripTie.current)
        }
        if (gripTie.current < 0) preview(moveOf(d, from))
        else useBendView.setState({ nudgedS: tieMovedS(gripTie.current, d, from) })
      } else {
        const [a, b] = [timeAt(from, d.startX), timeAt(from, d.startX + d.byX)]
        select({ startS: Math.max(0, Math.min(a, b)), endS: Math.max(a, b) })
      }
    },
    end: (d) => {
      const from = base.current ?? view
      base.current = null
      const tied = d.click ? tieNear(d.startX) : gripTie.current
      gripTie.current = null
      if (d.click) {
        if (d.startY < AXIS_PX) select(null)
        else if (bend) ties.choose(tied)
        if (kind(d) === 'move' && pieces.length > 1) choosePiece(pieceAt(pieces, timeAt(from, d.startX), 0)?.index ?? null)
        player.seek(timeAt(from, d.startX))
      } else if (kind(d) === 'move' && bend && tied !== null && tied >= 0) {
        // The sound at the tie is laid where the line was dragged to.
        const at = bend.ties[tied]!
        const byS = tieMovedS(tied, d, from)
        useBendView.setState({ nudgedS: 0, landingS: byS })
        edit({ kind: 'tie', index: tied, t_rec: at.t_rec, t_ref: at.lies_s + byS })
      } else if (kind(d) === 'move') {
        const move = moveOf(d, from)
        if (move.kind === 'shift' && !d.alt) drop(move.byS)
        else keep(move)
      }
    },
    cancel: () => {
      const from = base.current
      base.current = null
      if (gripTie.current !== null && gripTie.current >= 0) useBendView.setState({ nudgedS: 0 })
      gripTie.current = null
      preview(null)
      if (from) setView(() => from)
    },
  })

  /** By how much a dragged tie moves its sound: onto what begins or ends in the reference nearby, unless Alt is held. */
  const tieMovedS = (index: number, d: Drag, from: Viewport): number => {
    const byS = d.byX * from.secondsPerPx
    return d.alt ? byS : settledBy(bend?.ties[index]?.lies_s ?? 0, byS, suggested.reference, SETTLES_PX * from.secondsPerPx)
  }
  const tieNear = (x: number): number | null => {
    if (!bend) return null
    const near = drawnTies(view, canvas.current?.clientWidth ?? 0, lying, tie)
      .map((index) => ({ index, px: Math.abs(xOf(view, lying[index]!.lies_s) - x) }))
      .sort((a, b) => a.px - b.px)[0]
    return near && near.px <= EDGE_PX ? near.index : null
  }
  const lensAt = (x: number): number => centresS.findIndex((one) => Math.abs(xOf(view, one) - x) <= LENS_PX)
  const hover = (event: PointerEvent<HTMLCanvasElement>): void => {
    const box = event.currentTarget.getBoundingClientRect()
    const low = event.clientY - box.top > middlePx()
    const x = event.clientX - box.left
    scrub(timeAt(view, x))
    const edge = low && Boolean(pieceAt(pieces, timeAt(view, x), EDGE_PX * view.secondsPerPx)?.edge)
    setOnEdge(edge || (low && tieNear(x) !== null) || (event.clientY - box.top < AXIS_PX && lensAt(x) >= 0))
  }

  const follow = useCallback(
    (positionS: number) => {
      const width = canvas.current?.clientWidth ?? 0
      const x = xOf(viewRef.current, positionS)
      if (head.current) showHead(head.current, x, width)
      const { playing, follow: follows } = usePlayer.getState()
      if (playing && follows && (x > width * 0.9 || x < 0)) setView((v) => ({ ...v, startS: positionS - width * 0.1 * v.secondsPerPx }))
    },
    [canvas, setView],
  )
  usePlayhead(follow)
  useEffect(() => follow(player.positionS()), [view, follow])

  return (
    <Box
      position="relative"
      bg="bg.panel"
      overflow="hidden"
      data-testid="mirror"
      data-start-s={view.startS}
      data-seconds-per-px={view.secondsPerPx}
    >
      <canvas
        ref={canvas}
        {...drag}
        onPointerMove={(event) => {
          hover(event)
          drag.onPointerMove(event)
        }}
        style={{ width: '100%', height: MIRROR_HEIGHT, touchAction: 'none', cursor: onEdge ? 'col-resize' : 'crosshair' }}
        role="img"
        aria-label={`${reference.name} above, ${recording.name} below a common time axis`}
      />
      <Text
        position="absolute"
        top={`${AXIS_PX + PIN_PX}px`}
        left="2"
        fontSize="xs"
        color="slate.fg"
        pointerEvents="none"
        bg="bg.panel/70"
        px="1"
      >
        {reference.name}
      </Text>
      <Text position="absolute" bottom={`${PIN_PX}px`} left="2" fontSize="xs" color="rust.fg" pointerEvents="none" bg="bg.panel/70" px="1">
        {recording.name}
        {heldBack && earlier && ' — the version before'}
        {behind.length > 0 && ` — behind it ${behind.map((one) => one.name).join(', ')}`}
      </Text>
      <Box ref={head} position="absolute" top="0" bottom="0" left="0" w="1.5px" bg="ink.solid" pointerEvents="none" />
    </Box>
  )
})
