import { Box, Flex, Text } from '@chakra-ui/react'
import { memo, useMemo, useState } from 'react'
import type { Pieces } from '../../api/client'
import { useSettled } from '../../ui/useSettled'
import { Loupe } from './Loupe'
import { useBend, useBendView } from './useBend'
import { useBench } from './benchStore'
import { hearMomentsInTurn } from './momentsInTurn'
import { useWaveKind } from './waveKind'

const WIDTHS_MS = [4, 24, 100, 400] as const
const KEY = 'gullywind-loupe-ms'
/** Two performers are seen together from further off. */
const BENT_KEY = 'gullywind-loupe-ties-ms'
const BENT_MS = 400
const MEASURE_AFTER_MS = 400
const TITLES = ['start', 'middle', 'end']
const TIE_TITLES = ['the tie before', 'this tie', 'the next tie']
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
  const bend = useBend()
  const tie = useBendView((s) => s.tie)
  const bent = bend !== null
  const [widths, setWidths] = useState(() => ({
    same: Number(localStorage.getItem(KEY)) || 24,
    bent: Number(localStorage.getItem(BENT_KEY)) || BENT_MS,
  }))
  const widthMs = bent ? widths.bent : widths.same
  // The gap at each tie is known to the map; what the wave itself says there means nothing between two voices.
  const around = bend && tie !== null ? [tie - 1, tie, tie + 1].map((index) => bend.ties[index]) : null
  const titles = around ? TIE_TITLES : TITLES
  return (
    <Box>
      <Flex fontSize="xs" color="fg.muted" mb="1" gap="1" align="center">
        <Text whiteSpace="nowrap">{around ? 'A tie and its neighbours, each' : 'Start, middle and end, each'}</Text>
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
              localStorage.setItem(bent ? BENT_KEY : KEY, String(ms))
              setWidths((now) => ({ ...now, [bent ? 'bent' : 'same']: ms }))
            }}
          >
            {ms} ms
          </Text>
        ))}
        <Text truncate>
          {bent
            ? around
              ? 'wide — the gap is what the limit, or closeness, leaves'
              : 'wide — click a tie in the trace or the waves, or press Y, to look at it'
            : held === null
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
          <Loupe
            key={i}
            index={i}
            title={titles[i] ?? ''}
            centreS={centreS}
            widthS={widthMs / 1000}
            {...measured}
            tie={bent ? (around?.[i] ?? null) : undefined}
          />
        ))}
      </Flex>
    </Box>
  )
})
