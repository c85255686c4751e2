import { Box, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { Pin } from 'lucide-react'
import { memo, useCallback, useRef } from 'react'
import type { Bend, Pieces } from '../../api/client'
import { timingOptions } from '../../api/queries'
import { clock, signed } from '../../time/times'
import { usePalette } from '../../ui/usePalette'
import { useCanvas, type Size } from '../../ui/useCanvas'
import { toRecording } from '../../time/timeMap'
import { type Viewport } from '../../time/viewport'
import { drawMarks } from '../../drawing/marks'
import { drawMirror } from '../../drawing/mirror'
import { loupeMove, useBench, useBenchStore } from './benchStore'
import { useDrawnMarks } from './marks'
import { useWaveKind } from './waveKind'
import { useDrag } from '../../ui/useDrag'

/** 150 px in a window 800 high. */
const LOUPE_HEIGHT = 'clamp(110px, 18.75vh, 260px)'

interface Props {
  index: number
  title: string
  /** The knots as they were when their timing was measured. */
  stored: Pieces
  mapId: string
  centreS: number
  widthS: number
  /** Of a bent recording: the tie in the middle, null: none. */
  tie?: Bend['ties'][number] | null
}

/** One magnified window. Its upper half drags the window, its lower half drags the sound. */
export const Loupe = memo(function Loupe({ index, title, stored, mapId, centreS, widthS, tie }: Props) {
  const reference = useBench((s) => s.reference)
  const recording = useBench((s) => s.recording)
  const pieces = useBench((s) => s.pieces)
  const store = useBenchStore()
  const { look, holdLoupe, preview, keep } = store.getState()
  const palette = usePalette()
  const polarity = recording.map?.polarity ?? 1
  const over = useWaveKind((s) => s.over)
  const isHeld = useBench((s) => s.heldLoupe === index)
  const marks = useDrawnMarks()
  const draw = useCallback(
    (ctx: CanvasRenderingContext2D, { widthPx, heightPx }: Size) => {
      const view: Viewport = { startS: centreS - widthS / 2, secondsPerPx: widthS / widthPx }
      ctx.fillStyle = palette.line
      ctx.fillRect(Math.round(widthPx / 2), 0, 1, heightPx)
      drawMirror(ctx, {
        view,
        widthPx,
        top: 18,
        heightPx: heightPx - 18,
        reference: reference.media,
        recording: recording.media,
        pieces,
        polarity,
        behind: [],
        over,
        selected: null,
        palette,
      })
      const axisY = 18 + (heightPx - 18) / 2
      drawMarks(ctx, { view, widthPx, fromY: 18, toY: axisY, marks: marks.reference, color: palette.slate, palette })
      drawMarks(ctx, { view, widthPx, fromY: heightPx, toY: axisY, marks: marks.recording, color: palette.rust, palette })
    },
    [reference, recording, pieces, centreS, widthS, polarity, over, marks, palette],
  )
  const canvas = useCanvas(draw)
  const base = useRef<number | null>(null)
  const perPx = (): number => widthS / (canvas.current?.clientWidth ?? 300)
  const middlePx = (): number => (canvas.current?.clientHeight ?? 0) / 2
  const drag = useDrag({
    move: (d) => {
      base.current ??= centreS
      if (d.startY < middlePx()) look(index, base.current - d.byX * perPx())
      else preview(loupeMove(store.getState(), index, d.byX * perPx()))
    },
    end: (d) => {
      base.current = null
      const move = loupeMove(store.getState(), index, d.byX * perPx())
      if (!d.click && d.startY >= middlePx() && move) keep(move)
    },
    cancel: () => {
      if (base.current !== null) look(index, base.current)
      base.current = null
      preview(null)
    },
  })
  const rounded = Math.round(centreS * 100) / 100
  const { data: timing, isFetching } = useQuery({
    ...timingOptions(recording.id, mapId, rounded),
    enabled: mapId !== '' && tie === undefined,
  })
  // What is drawn may be ahead of what was measured.
  const [was, now] = [toRecording(stored, centreS), toRecording(pieces, centreS)]
  const left = tie?.left_ms ?? null
  const lagMs =
    tie !== undefined ? left : timing?.lag_ms == null ? null : timing.lag_ms + (was !== null && now !== null ? (was - now) * 1000 : 0)
  const inStep = tie?.together ?? (lagMs !== null && Math.abs(lagMs) < 1)
  const decimals = lagMs !== null && Math.abs(lagMs) >= 10 ? 1 : lagMs !== null && Math.abs(lagMs) >= 1 ? 2 : 3
  return (
    <Box
      position="relative"
      flex="1"
      minW="0"
      bg="bg.panel"
      borderWidth="1px"
      borderColor={isHeld ? 'ink.solid' : undefined}
      data-testid="loupe"
    >
      <canvas
        ref={canvas}
        {...drag}
        style={{ width: '100%', height: LOUPE_HEIGHT, cursor: 'ew-resize', touchAction: 'none' }}
        role="img"
        aria-label={`${title} of the overlap, magnified`}
      />
      <Flex position="absolute" top="0" left="2" right="2" justify="space-between" fontSize="xs" pointerEvents="none">
        <Flex gap="2" color="fg.muted" whiteSpace="nowrap" overflow="hidden" bg="bg.panel/70">
          <Text>
            {title} {clock(centreS, 2)}
          </Text>
          {tie === undefined && (
            <Flex
              as="button"
              align="center"
              gap="0.5"
              pointerEvents="auto"
              cursor="pointer"
              aria-pressed={isHeld}
              color={isHeld ? 'fg' : 'fg.muted'}
              fontWeight={isHeld ? '700' : '400'}
              title={
                isHeld
                  ? 'Let go of this moment (H)'
                  : 'Hold this moment: what is moved in another loupe then changes the clock (H holds the start)'
              }
              onClick={() => holdLoupe(isHeld ? null : index)}
            >
              <Pin size={11} aria-hidden />
              {isHeld ? 'held' : 'hold'}
            </Flex>
          )}
        </Flex>
        <Text
          fontFamily="mono"
          fontWeight="600"
          whiteSpace="nowrap"
          bg="bg.panel/70"
          color={inStep ? 'moss.fg' : 'ochre.fg'}
          opacity={isFetching ? 0.5 : 1}
        >
          {lagMs === null ? (timing && tie === undefined ? 'nothing to measure here' : '') : `${signed(lagMs, decimals)} ms`}
        </Text>
      </Flex>
    </Box>
  )
})
