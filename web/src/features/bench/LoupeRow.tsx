import { Box, Flex, Text } from '@chakra-ui/react'
import { memo, useEffect, useState } from 'react'
import type { Pieces, Recording } from '../../api/client'
import { Loupe } from './Loupe'
import type { Edits } from './useEdits'

const WIDTHS_MS = [4, 24, 100] as const
const KEY = 'gullywind-loupe-ms'
const TITLES = ['start', 'middle', 'end']

interface Props {
  reference: Recording
  recording: Recording
  pieces: Pieces
  mapNumber: number
  /** Where the loupes look at first, s of reference time. */
  moments: readonly number[]
  edits: Edits
}

/** Start, middle and end of the overlap, magnified, at one look. */
export const LoupeRow = memo(function LoupeRow({ moments, ...rest }: Props) {
  const [centres, setCentres] = useState(moments)
  useEffect(() => setCentres(moments), [moments])
  const [widthMs, setWidthMs] = useState<number>(() => Number(localStorage.getItem(KEY)) || 24)
  return (
    <Box>
      <Flex fontSize="xs" color="fg.muted" mb="1" gap="1" align="center">
        <Text>Start, middle and end, each</Text>
        {WIDTHS_MS.map((ms) => (
          <Text
            key={ms}
            as="button"
            px="1"
            rounded="sm"
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
        <Text>wide — drag the upper half to look elsewhere, the lower half to move the recording</Text>
      </Flex>
      <Flex gap="2">
        {centres.map((centreS, i) => (
          <Loupe
            key={i}
            title={TITLES[i] ?? ''}
            centreS={centreS}
            widthS={widthMs / 1000}
            move={(to) => setCentres((old) => old.map((one, j) => (j === i ? to : one)))}
            {...rest}
          />
        ))}
      </Flex>
    </Box>
  )
})
