import { Box, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useCallback, useState } from 'react'
import type { Doubling } from '../../api/client'
import { doublingOptions } from '../../api/queries'
import { usePlayer } from '../../listening/playerState'
import { usePlayhead } from '../../listening/usePlayhead'
import { toRecording } from '../../time/timeMap'
import { useSettled } from '../../ui/useSettled'
import { useBench } from './benchStore'

/** Measured anew every so many seconds of what is played, and once a hand has rested. */
const EVERY_S = 1
const RESTED_MS = 250
/** From the least to the most that is shown, ms; both sides of zero, each lag by its logarithm. */
const LEAST_MS = 0.02
const MOST_MS = 80
const WIDTH_PX = 132

const COLOURS = {
  'in step': 'moss.solid',
  'coloured by combing': 'ochre.solid',
  thick: 'ochre.solid',
  'an echo': 'rust.solid',
} as const satisfies Record<Doubling['kind'], string>

/** Where a lag stands on the gauge, px from its middle. */
function placeOf(lagMs: number): number {
  const share = Math.log(Math.max(Math.abs(lagMs), LEAST_MS) / LEAST_MS) / Math.log(MOST_MS / LEAST_MS)
  return (Math.sign(lagMs) * Math.min(share, 1) * WIDTH_PX) / 2
}

const TICKS_MS = [-10, -1, -0.1, 0.1, 1, 10]

/** What an ear makes of both together around the playhead just now. */
export function DoublingGauge() {
  const id = useBench((s) => s.recording.id)
  const mapId = useBench((s) => s.mapId)
  const playing = usePlayer((s) => s.playing)
  const way = usePlayer((s) => s.way)
  const [atS, look] = useState(0)
  const follow = useCallback(
    (positionS: number) => look(playing ? Math.floor(positionS / EVERY_S) * EVERY_S + EVERY_S / 2 : positionS),
    [playing],
  )
  usePlayhead(follow)
  const rested = useSettled(atS, playing ? 0 : RESTED_MS)
  // Where there is no recording there is nothing to compare, and two performances do not comb.
  const isThere = useBench((s) => toRecording(s.pieces, rested) !== null && !s.recording.map?.bent)
  const asks = mapId !== '' && way !== 'difference' && isThere
  const { data: found } = useQuery({ ...doublingOptions(id, mapId, rested), enabled: asks })
  if (!asks || found === undefined) return null
  return (
    <Flex align="center" gap="3" minW="0" title="The lag around the playhead, early to late, and what an ear makes of both together">
      <Box position="relative" w={`${WIDTH_PX}px`} h="20px" flexShrink={0} display={{ base: 'none', lg: 'block' }} aria-hidden>
        <Box position="absolute" left="0" right="0" top="10px" h="1px" bg="border.emphasized" />
        {TICKS_MS.map((ms) => (
          <Box
            key={ms}
            position="absolute"
            left={`${WIDTH_PX / 2 + placeOf(ms)}px`}
            top="7px"
            bottom="6px"
            w="1px"
            bg="border.emphasized"
          />
        ))}
        <Box position="absolute" left={`${WIDTH_PX / 2}px`} top="3px" bottom="2px" w="1px" bg="fg.muted" />
        {found && (
          <Box
            position="absolute"
            left={`${WIDTH_PX / 2 + placeOf(found.lag_ms) - 4}px`}
            top="6px"
            w="9px"
            h="9px"
            rounded={found.kind === 'in step' ? 'full' : '1px'}
            transform={found.kind === 'an echo' ? 'rotate(45deg)' : undefined}
            bg={COLOURS[found.kind]}
          />
        )}
      </Box>
      <Text fontSize="xs" lineHeight="1.35" color="fg.muted" lineClamp={2} data-testid="doubling" data-lag-ms={found?.lag_ms}>
        {found === null ? 'nothing clearly alike here' : found.words}
      </Text>
    </Flex>
  )
}
