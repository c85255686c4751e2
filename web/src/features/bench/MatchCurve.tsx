import { Box, Button, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { memo, useCallback } from 'react'
import type { Recording } from '../../api/client'
import { curveOptions } from '../../api/queries'
import { clock } from '../../time/times'
import { usePalette } from '../../ui/usePalette'
import { useCanvas, type Size } from '../../ui/useCanvas'
import { drawCurve, offsetAt } from '../../drawing/curve'
import { useBench } from './benchStore'

const CURVE_PX = 96
/** A click this near to a rival means it. */
const NEAR_PX = 14

const NONE: NonNullable<Recording['judgement']>['candidates'] = []

/** How well every possible offset fits, with its rivals. */
export const MatchCurve = memo(function MatchCurve() {
  const recording = useBench((s) => s.recording)
  const edit = useBench((s) => s.edit)
  const palette = usePalette()
  const judged = recording.judgement
  const { data: curve } = useQuery({ ...curveOptions(recording.id, judged?.map_id), enabled: judged !== null })
  const candidates = judged?.candidates ?? NONE
  const draw = useCallback(
    (ctx: CanvasRenderingContext2D, size: Size) => {
      if (!curve) return
      drawCurve(ctx, {
        ...size,
        curve,
        candidatesS: candidates.map((one) => one.offset_s),
        currentS: candidates.find((one) => one.current)?.offset_s ?? null,
        palette,
      })
    },
    [curve, candidates, palette],
  )
  const canvas = useCanvas(draw)
  const nearest = (x: number, widthPx: number): number | null => {
    if (!curve) return null
    const at = offsetAt(curve, x, widthPx)
    const perPx = offsetAt(curve, 1, widthPx) - offsetAt(curve, 0, widthPx)
    const found = candidates.map((one, index) => ({ index, px: Math.abs(one.offset_s - at) / perPx })).sort((a, b) => a.px - b.px)[0]
    return found && found.px < NEAR_PX ? found.index : null
  }
  // A place through others has no curve of its own; what is bent onto the reference is placed by its ties.
  if (!judged || recording.map?.bent || (curve === null && !candidates.length)) return null
  return (
    <Box>
      <Text fontSize="sm" fontWeight="600" mb="1">
        How well each place fits
      </Text>
      <canvas
        ref={canvas}
        // There from the first on, so that its size is watched.
        style={{ display: curve ? 'block' : 'none', width: '100%', height: CURVE_PX, cursor: 'pointer' }}
        role="img"
        aria-label="Match at every offset; peaks are possible places"
        onClick={(e) => {
          const index = nearest(e.nativeEvent.offsetX, e.currentTarget.clientWidth)
          if (index !== null) edit({ kind: 'take', index })
        }}
      />
      {candidates.map((one, index) => {
        const isCurrent = one.current
        return (
          <Flex key={index} align="center" fontSize="sm" borderBottomWidth="1px" borderStyle="dotted" h="28px" data-testid="candidate">
            <Text w="20px" color={isCurrent ? 'rust.fg' : 'fg.muted'} aria-hidden>
              {isCurrent ? '●' : '○'}
            </Text>
            <Text fontFamily="mono" fontSize="xs" flex="1">
              {clock(one.offset_s, 3)}
            </Text>
            <Text fontFamily="mono" fontSize="xs" w="44px" textAlign="right" title="how well the phases agree there, 0 to 1">
              {one.score.toFixed(2)}
            </Text>
            <Flex w="52px" justify="flex-end">
              {isCurrent ? (
                <Text fontSize="xs" color="fg.muted">
                  here
                </Text>
              ) : (
                <Button size="2xs" variant="ghost" onClick={() => edit({ kind: 'take', index })}>
                  Try it
                </Button>
              )}
            </Flex>
          </Flex>
        )
      })}
    </Box>
  )
})
