import { Button, Flex, Text } from '@chakra-ui/react'
import { memo } from 'react'
import { useQuery } from '@tanstack/react-query'
import { timecodesOptions } from '../../api/queries'
import { clock } from '../../time/times'
import { useBench } from './benchStore'

const SOURCES = {
  sound: { word: 'heard', title: 'Timecode that is heard in a channel' },
  bwf: { word: 'file', title: 'Time reference of the file' },
  track: { word: 'track', title: 'Timecode track of the file' },
} as const

/** What the recording says of its own time, and where it would lie by it. */
export const Timecodes = memo(function Timecodes() {
  const id = useBench((s) => s.recording.id)
  const mapId = useBench((s) => s.recording.map?.id ?? '')
  const edit = useBench((s) => s.edit)
  const { data: codes } = useQuery(timecodesOptions(id, mapId))
  return codes?.map(({ source, start, rate, offset_s, agrees }) => (
    <Flex key={source} align="center" fontSize="xs" minH="24px" gap="2" data-testid="timecode">
      <Text flex="1" minW="0" truncate title={`${SOURCES[source].title}, ${rate} frames a second`}>
        <Text as="span" fontFamily="mono">
          {start}
        </Text>{' '}
        <Text as="span" color="fg.muted">
          {SOURCES[source].word}
        </Text>
      </Text>
      {offset_s === null ? (
        <Text color="fg.muted">reference has none</Text>
      ) : agrees ? (
        <Text color="moss.fg">agrees</Text>
      ) : (
        <Button
          size="2xs"
          variant="outline"
          title={`By its timecode it would start at ${clock(offset_s, 3)}`}
          onClick={() => edit({ kind: 'move', offset_s })}
        >
          Try {clock(offset_s, 1)}
        </Button>
      )}
    </Flex>
  ))
})
