import { Box, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { Pin } from 'lucide-react'
import { useCallback, useRef } from 'react'
import type { Pieces, Recording } from '../../api/client'
import { timingOptions } from '../../api/queries'
import { clock, signed } from '../../ui/times'
import { color } from '../../ui/theme'
import { useCanvas, type Size } from '../../ui/useCanvas'
import { toRecording } from './geometry/timeMap'
import { type Viewport } from '../../time/viewport'
import { drawMirror } from './layers/mirror'
import type { Edits } from './useEdits'
import { useWaveKind } from './waveKind'
import { useDrag } from '../../ui/useDrag'
import type { Loupes } from './useLoupes'

/** 150 px in a window 800 high. */
const LOUPE_HEIGHT = 'clamp(110px, 18.75vh, 260px)'

interface Props {
  index: number
  title: string
  reference: Recording
  recording: Recording
  /** As it is drawn, and as it was when its timing was measured. */
  pieces: Pieces
  stored: Pieces
  mapId: string
  centreS: number
  widthS: number
  loupes: Loupes
  edits: Edits
}

/** One magnified window. Its upper half drags the window, its lower half drags the sound. */
export function Loupe({ index, title, reference, recording, pieces, stored, mapId, centreS, widthS, loupes, edits }: Props) {
  const polarity = recording.map?.polarity ?? 1
  const over = useWaveKind((s) => s.over)
  const isHeld = loupes.held === index
  const draw = useCallback(
    (ctx: CanvasRenderingContext2D, { widthPx, heightPx }: Size) => {
      const view: Viewport = { startS: centreS - widthS / 2, secondsPerPx: widthS / widthPx }
      ctx.fillStyle = color('line')
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
        over,
        selected: null,
      })
    },
    [reference, recording, pieces, centreS, widthS, polarity, over],
  )
  const canvas = useCanvas(draw)
  const base = useRef<number | null>(null)
  const perPx = (): number => widthS / (canvas.current?.clientWidth ?? 300)
  const middlePx = (): number => (canvas.current?.clientHeight ?? 0) / 2
  const drag = useDrag({
    move: (d) => {
      base.current ??= centreS
      if (d.startY < middlePx()) loupes.look(index, base.current - d.byX * perPx())
      else edits.preview(loupes.moveAt(index, d.byX * perPx()))
    },
    end: (d) => {
      base.current = null
      const move = loupes.moveAt(index, d.byX * perPx())
      if (!d.click && d.startY >= middlePx() && move) edits.keep(move)
    },
    cancel: () => {
      if (base.current !== null) loupes.look(index, base.current)
      base.current = null
      edits.preview(null)
    },
  })
  const rounded = Math.round(centreS * 100) / 100
  const { data: timing, isFetching } = useQuery({ ...timingOptions(recording.id, mapId, rounded), enabled: mapId !== '' })
  // What is drawn may be ahead of what was measured.
  const [was, now] = [toRecording(stored, centreS), toRecording(pieces, centreS)]
  const lagMs = timing?.lag_ms == null ? null : timing.lag_ms + (was !== null && now !== null ? (was - now) * 1000 : 0)
  const decimals = lagMs !== null && Math.abs(lagMs) >= 10 ? 1 : lagMs !== null && Math.abs(lagMs) >= 1 ? 2 : 3
  return (
    <Box position="relative" flex="1" minW="0" bg="bg.panel" borderWidth="1px" borderColor={isHeld ? 'ink.solid' : undefined} data-testid="loupe">
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
          <Flex
            as="button"
            align="center"
            gap="0.5"
            pointerEvents="auto"
            cursor="pointer"
            aria-pressed={isHeld}
            color={isHeld ? 'fg' : 'fg.muted'}
            fontWeight={isHeld ? '700' : '400'}
            title={isHeld ? 'Let go of this moment (H)' : 'Hold this moment: what is moved in another loupe then changes the clock (H holds the start)'}
            onClick={() => loupes.hold(isHeld ? null : index)}
          >
            <Pin size={11} aria-hidden />
            {isHeld ? 'held' : 'hold'}
          </Flex>
        </Flex>
        <Text fontFamily="mono" fontWeight="600" whiteSpace="nowrap" bg="bg.panel/70" color={lagMs !== null && Math.abs(lagMs) < 1 ? 'moss.fg' : 'ochre.fg'} opacity={isFetching ? 0.5 : 1}>
          {lagMs === null ? (timing ? 'nothing to measure here' : '') : `${signed(lagMs, decimals)} ms`}
        </Text>
      </Flex>
    </Box>
  )
}
