import { Box, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useCallback, useRef } from 'react'
import type { Pieces, Recording } from '../../api/client'
import { timingOptions } from '../../api/queries'
import { clock, signed } from '../../ui/times'
import { color } from '../../ui/theme'
import { useCanvas, type Size } from '../../ui/useCanvas'
import { type Viewport } from './geometry/viewport'
import { drawMirror } from './layers/mirror'
import type { Edits } from './useEdits'
import { useDrag } from './useDrag'

export const LOUPE_PX = 150

interface Props {
  title: string
  reference: Recording
  recording: Recording
  pieces: Pieces
  mapNumber: number
  centreS: number
  widthS: number
  move: (centreS: number) => void
  edits: Edits
}

/** One magnified window. Its upper half drags the window, its lower half drags the recording. */
export function Loupe({ title, reference, recording, pieces, mapNumber, centreS, widthS, move, edits }: Props) {
  const polarity = (recording.judgement?.polarity ?? 1) as 1 | -1
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
      })
    },
    [reference, recording, pieces, centreS, widthS, polarity],
  )
  const canvas = useCanvas(draw)
  const base = useRef<number | null>(null)
  const perPx = (): number => widthS / (canvas.current?.clientWidth ?? 300)
  const drag = useDrag({
    move: (d) => {
      base.current ??= centreS
      if (d.startY < LOUPE_PX / 2) move(base.current - d.byX * perPx())
      else edits.preview(d.byX * perPx())
    },
    end: (d) => {
      base.current = null
      if (!d.click && d.startY >= LOUPE_PX / 2) edits.nudge(d.byX * perPx())
    },
  })
  const rounded = Math.round(centreS * 100) / 100
  const { data: timing, isFetching } = useQuery({ ...timingOptions(recording.id, mapNumber, rounded), enabled: mapNumber > 0 })
  const lagMs = timing?.lag_ms == null ? null : timing.lag_ms + edits.pendingS * 1000
  const decimals = lagMs !== null && Math.abs(lagMs) >= 10 ? 1 : lagMs !== null && Math.abs(lagMs) >= 1 ? 2 : 3
  return (
    <Box position="relative" flex="1" minW="0" bg="bg.panel" borderWidth="1px" data-testid="loupe">
      <canvas ref={canvas} {...drag} style={{ width: '100%', height: LOUPE_PX, cursor: 'ew-resize', touchAction: 'none' }} role="img" aria-label={`${title} of the overlap, magnified`} />
      <Flex position="absolute" top="0" left="2" right="2" justify="space-between" fontSize="xs" pointerEvents="none">
        <Text color="fg.muted">
          {title} {clock(centreS, 2)}
        </Text>
        <Text fontFamily="mono" fontWeight="600" color={lagMs !== null && Math.abs(lagMs) < 1 ? 'moss.fg' : 'ochre.fg'} opacity={isFetching ? 0.5 : 1}>
          {lagMs === null ? (timing ? 'nothing to measure here' : '') : `${signed(lagMs, decimals)} ms`}
        </Text>
      </Flex>
    </Box>
  )
}
