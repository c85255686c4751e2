import { Box, Flex, Text } from '@chakra-ui/react'
import { memo, useMemo, useState } from 'react'
import type { Pieces } from '../../api/client'
import { useSettled } from '../../ui/useSettled'
import { Loupe } from './Loupe'
import { useBench } from './benchStore'
import { hearMomentsInTurn } from './momentsInTurn'
import { useWaveKind } from './waveKind'

const WIDTHS_MS = [4, 24, 100] as const
const KEY = 'gullywind-loupe-ms'
const MEASURE_AFTER_MS = 400
const TITLES = ['start', 'middle', 'end']
const NONE: Pieces = []

/** Start, middle and end of the overlap, magnified, at one look. */
export const LoupeRow = memo(function LoupeRow() {
  const shown = useBench((s) => (s.heldBack && s.earlier ? s.earlier : s.stored))
  const mapId = useBench((s) => s.mapId)
  const centresS = useBench((s) => s.centresS)
  const held = useBench((s) => s.heldLoupe)
  // Hearing a change comes first; measuring it waits, and until then what was measured is carried over.
  const measured = useSettled(
    useMemo(() => ({ stored: shown ?? NONE, mapId }), [shown, mapId]),
    MEASURE_AFTER_MS,
  )
  const { over, turn } = useWaveKind()
  const [widthMs, setWidthMs] = useState<number>(() => Number(localStorage.getItem(KEY)) || 24)
  return (
    <Box>
      <Flex fontSize="xs" color="fg.muted" mb="1" gap="1" align="center">
        <Text whiteSpace="nowrap">Start, middle and end, each</Text>
        {WIDTHS_MS.map((ms) => (
          <Text
            key={ms}
            as="button"
            px="1"
            rounded="sm"
            flexShrink={0}
            aria-pressed={ms === widthMs}
            fontWeight={ms === widthMs ? '700' : '400'}
            textDecoration={ms === widthMs ? 'underline' : 'none'}
            onClick={() => {
              localStorage.setItem(KEY, String(ms))
              setWidthMs(ms)
            }}
          >
            {ms} ms
          </Text>
        ))}
        <Text truncate>
          {held === null
            ? 'wide — drag the upper half or its ring on the axis to look elsewhere, the lower half to move the recording'
            : `wide — the ${TITLES[held]} is held: drag the lower half elsewhere, and the clock follows`}
        </Text>
        <Box flex="1" />
        <Text
          as="button"
          px="1"
          rounded="sm"
          flexShrink={0}
          title="Hear the three moments one after the other, again and again (Shift L)"
          onClick={() => hearMomentsInTurn(centresS)}
        >
          hear in turn
        </Text>
        <Text
          as="button"
          px="1"
          rounded="sm"
          flexShrink={0}
          aria-pressed={over}
          fontWeight={over ? '700' : '400'}
          textDecoration={over ? 'underline' : 'none'}
          title="Near by, draw both waves over one line, the reference behind (O)"
          onClick={turn}
        >
          one over the other
        </Text>
      </Flex>
      <Flex gap="2">
        {centresS.map((centreS, i) => (
          <Loupe key={i} index={i} title={TITLES[i] ?? ''} centreS={centreS} widthS={widthMs / 1000} {...measured} />
        ))}
      </Flex>
    </Box>
  )
})
