import { Box, Text } from '@chakra-ui/react'
import { memo, useCallback, useMemo } from 'react'
import type { Pieces, Recording } from '../../api/client'
import { color } from '../../ui/theme'
import { useCanvas, type Size } from '../../ui/useCanvas'
import { player } from '../listening/player'
import { toRecording } from './geometry/timeMap'
import { timeAt, type Viewport } from './geometry/viewport'
import { drawTrace, type Dot } from './layers/trace'

interface Props {
  recording: Recording
  pieces: Pieces
  before: Pieces | null
  durationS: number
}

/** One dot per window: how late (above) or early (below) the recording is there, through the map as it is now. */
export const Trace = memo(function Trace({ recording, pieces, before, durationS }: Props) {
  const { proof } = recording
  const measured = recording.versions.find((one) => one.number === proof?.map_number)?.pieces ?? null
  const dots = useCallback(
    (through: Pieces | null): Dot[] =>
      (proof?.windows ?? []).flatMap((window) => {
        // Where the window was found in the recording, against where this map expects it.
        const then = measured && toRecording(measured, window.t_ref)
        const now = through && toRecording(through, window.t_ref)
        if (then == null || now == null) return []
        return [{ tRefS: window.t_ref, lagMs: window.lag_ms + (then - now) * 1000, quality: window.quality, agrees: window.agrees }]
      }),
    [proof, measured],
  )
  const now = useMemo(() => dots(pieces), [dots, pieces])
  const earlier = useMemo(() => dots(before), [dots, before])
  const viewOf = (widthPx: number): Viewport => ({ startS: 0, secondsPerPx: durationS / widthPx })
  const draw = useCallback(
    (ctx: CanvasRenderingContext2D, size: Size) =>
      drawTrace(ctx, {
        ...size,
        view: viewOf(size.widthPx),
        now,
        before: earlier,
        colors: { dot: color('rust'), faint: color('rust-soft'), zero: color('ink'), band: color('heard'), text: color('ink-soft'), differ: color('ochre') },
      }),
    [now, earlier, durationS],
  )
  const canvas = useCanvas(draw)
  return (
    <Box flex="1" minH="110px" display="flex" flexDirection="column">
      <Text fontSize="xs" color="fg.muted" mb="1">
        Timing difference over the whole event — size: certainty; ring: not sure; band: below any meaning. Click to hear a moment.
      </Text>
      <Box flex="1" minH="0" bg="bg.panel">
        <canvas
          ref={canvas}
          style={{ width: '100%', height: '100%', cursor: 'pointer' }}
          role="img"
          aria-label={`${now.filter((d) => d.agrees).length} of ${now.length} windows agree`}
          onClick={(e) => player.seek(timeAt(viewOf(e.currentTarget.clientWidth), e.nativeEvent.offsetX))}
        />
      </Box>
    </Box>
  )
})
