import { Box, Flex, Text } from '@chakra-ui/react'
import { memo, useCallback, useMemo, useRef, useState, type PointerEvent } from 'react'
import { useQuery } from '@tanstack/react-query'
import type { Pieces, Window } from '../../api/client'
import { proofWindowsOptions, usePieces } from '../../api/queries'
import { clock, signed } from '../../time/times'
import { usePalette } from '../../ui/usePalette'
import { useCanvas, type Size } from '../../ui/useCanvas'
import { player } from '../../listening/player'
import { pieceAt } from '../../time/moves'
import { toRecording } from '../../time/timeMap'
import { timeAt, xOf, type Viewport } from '../../time/viewport'
import { drawTrace, msAt, scaleFor, type Dot } from '../../drawing/trace'
import { TraceKinds } from './TraceKinds'
import { useTraceKind } from './traceKind'
import { useBench } from './benchStore'
import { useDrag } from '../../ui/useDrag'

/** A dot is meant from this far. */
const NEAR_PX = 9
/** What is heard of a moment begins this much before it, s. */
const BEFORE_S = 0.4

const LABELS = { left: 'left over', recorded: 'as recorded' }
const NONE: readonly Window[] = []

/** One dot per window: how late (above) or early (below) the recording is there, through the map or without it. */
export const Trace = memo(function Trace() {
  const kind = useTraceKind((s) => s.kind)
  const recording = useBench((s) => s.recording)
  const pieces = useBench((s) => s.pieces)
  const stored = useBench((s) => s.stored)
  const before = useBench((s) => s.earlier)
  const durationS = useBench((s) => s.reference.media.duration_s ?? 1)
  const preview = useBench((s) => s.preview)
  const keep = useBench((s) => s.keep)
  const palette = usePalette()
  const offsetS = recording.map?.offset_s ?? 0
  // After an edit the windows are those of the version before, until the new one is proved.
  const provedId = recording.proof?.map_id
  const { data: proof } = useQuery({ ...proofWindowsOptions(recording.id, provedId ?? ''), enabled: provedId !== undefined })
  const other = proof && proof.map_id !== recording.map?.id ? { id: proof.map_id, pieces: null } : null
  const otherPieces = usePieces(recording.id, other)
  const measured = other ? otherPieces : stored
  const windows = proof?.windows ?? NONE
  const dots = useCallback(
    (through: Pieces | null): Dot[] =>
      windows.flatMap((window) => {
        // Where the window was found in the recording, against where this map expects it.
        const then = measured && toRecording(measured, window.t_ref)
        const now = kind === 'left' ? through && toRecording(through, window.t_ref) : window.t_ref - offsetS
        if (then == null || now == null) return []
        return [{ tRefS: window.t_ref, lagMs: window.lag_ms + (then - now) * 1000, quality: window.quality, verdict: window.verdict }]
      }),
    [windows, measured, kind, offsetS],
  )
  const now = useMemo(() => dots(pieces), [dots, pieces])
  const earlier = useMemo(() => (kind === 'left' ? dots(before) : []), [dots, before, kind])
  // The map itself: zero through itself; without it, what it says of each knot.
  const lines = useMemo(
    () => pieces.map((knots) => knots.map(([ref, rec]) => ({ tRefS: ref!, ms: kind === 'left' ? 0 : (rec! - (ref! - offsetS)) * 1000 }))),
    [pieces, kind, offsetS],
  )
  const scale = useMemo(() => scaleFor([...now, ...earlier], lines), [now, earlier, lines])
  const viewOf = useCallback((widthPx: number): Viewport => ({ startS: 0, secondsPerPx: durationS / widthPx }), [durationS])
  const [hovered, setHovered] = useState<Dot | null>(null)
  const draw = useCallback(
    (ctx: CanvasRenderingContext2D, size: Size) =>
      drawTrace(ctx, {
        ...size,
        view: viewOf(size.widthPx),
        scale,
        now,
        before: earlier,
        lines,
        hovered,
        palette,
      }),
    [now, earlier, lines, scale, hovered, viewOf, palette],
  )
  const canvas = useCanvas(draw)
  const scaleAtStart = useRef(scale)
  const grip = useRef<number | null>(null)
  const drag = useDrag({
    move: (d) => {
      const element = canvas.current
      if (!element) return
      if (grip.current === null) {
        scaleAtStart.current = scale
        grip.current = pieceAt(pieces, timeAt(viewOf(element.clientWidth), d.startX), 0)?.index ?? -1
      }
      if (grip.current >= 0) preview(moveOf(d.byY, element.clientHeight))
    },
    end: (d) => {
      const element = canvas.current
      const index = grip.current
      if (element && d.click) player.hear(timeAt(viewOf(element.clientWidth), d.startX) - BEFORE_S)
      else if (element && index !== null && index >= 0) keep(moveOf(d.byY, element.clientHeight))
      grip.current = null
    },
    cancel: () => {
      grip.current = null
      preview(null)
    },
  })
  // Dots that are pulled down make the recording less late: it moves earlier.
  const moveOf = (byY: number, heightPx: number) => {
    const byS = (msAt(byY, heightPx, scaleAtStart.current) - msAt(0, heightPx, scaleAtStart.current)) / 1000
    return pieces.length > 1 ? ({ kind: 'slide', index: grip.current!, byS } as const) : ({ kind: 'shift', byS } as const)
  }
  const hover = (event: PointerEvent<HTMLCanvasElement>): void => {
    const view = viewOf(event.currentTarget.clientWidth)
    const x = event.clientX - event.currentTarget.getBoundingClientRect().left
    const near = now.map((dot) => ({ dot, px: Math.abs(xOf(view, dot.tRefS) - x) })).sort((a, b) => a.px - b.px)[0]
    setHovered(near && near.px < NEAR_PX ? near.dot : null)
  }
  return (
    <Box flex={{ base: 'none', md: '1' }} h={{ base: '180px', md: 'auto' }} minH="110px" maxH="400px" display="flex" flexDirection="column">
      <Flex fontSize="xs" color="fg.muted" mb="1" gap="1">
        <Text whiteSpace="nowrap">Timing difference</Text>
        <TraceKinds labels={LABELS} />
        <Text flex="1" truncate>
          — size: certainty; ring: too unclear to say; band: below any meaning. Click to hear a moment, drag up or down to slide.
        </Text>
        <Text fontFamily="mono" whiteSpace="nowrap" data-testid="trace-moment">
          {hovered &&
            `${clock(hovered.tRefS, 1)}  ${signed(hovered.lagMs, 3)} ms${hovered.verdict === 'nothing' ? ', too unclear to say' : ''}`}
        </Text>
      </Flex>
      <Box flex="1" minH="0" bg="bg.panel">
        <canvas
          ref={canvas}
          {...drag}
          onPointerMove={(event) => {
            hover(event)
            drag.onPointerMove(event)
          }}
          onPointerLeave={() => setHovered(null)}
          style={{ width: '100%', height: '100%', cursor: 'pointer', touchAction: 'none' }}
          role="img"
          aria-label={`${now.filter((d) => d.verdict === 'agrees').length} of ${now.length} windows agree`}
        />
      </Box>
    </Box>
  )
})
