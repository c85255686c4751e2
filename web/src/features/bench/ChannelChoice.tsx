import { Box, Button, Flex, Text } from '@chakra-ui/react'
import { memo } from 'react'
import { useQuery } from '@tanstack/react-query'
import { channelsOptions } from '../../api/queries'
import { useBench } from './benchStore'

/** The picture reaches from here to full scale, dBFS. */
const LOWEST_SHOWN = -60
const HOLDS = { sound: '', timecode: 'timecode', silence: 'silent' } as const

/** Which channels are heard, each with a small picture of its level; one alone by a click, more with Shift. */
export const ChannelChoice = memo(function ChannelChoice() {
  const { id, map, media } = useBench((s) => s.recording)
  const edit = useBench((s) => s.edit)
  const { data: channels } = useQuery(channelsOptions(id))
  const count = media.channels ?? 1
  if (!map || count < 2) return null
  const heard = map.channels ?? Array.from({ length: count }, (_, k) => k)
  const choose = (channel: number, more: boolean): void => {
    if (!more) return edit({ kind: 'channels', channels: [channel] })
    const next = heard.includes(channel) ? heard.filter((one) => one !== channel) : [...heard, channel].sort((a, b) => a - b)
    if (next.length) edit({ kind: 'channels', channels: next.length === count ? null : next })
  }
  return (
    <Box py="1" borderBottomWidth="1px" borderStyle="dotted">
      <Flex justify="space-between" align="center" fontSize="sm">
        <Text color="fg.muted">channels</Text>
        <Button
          size="2xs"
          variant={map.channels === null ? 'solid' : 'outline'}
          aria-pressed={map.channels === null}
          title="All channels as they are"
          onClick={() => edit({ kind: 'channels', channels: null })}
        >
          all {count}
        </Button>
      </Flex>
      <Box maxH="132px" overflowY="auto" role="group" aria-label="Channels">
        {channels?.map(({ channel, holds, levels_dbfs }) => {
          const on = heard.includes(channel)
          return (
            <Button
              key={channel}
              variant="ghost"
              w="100%"
              h="22px"
              px="1"
              gap="2"
              rounded="sm"
              fontWeight="normal"
              aria-pressed={on}
              aria-label={`Channel ${channel + 1}${HOLDS[holds] ? `, ${HOLDS[holds]}` : ''}`}
              title={`Channel ${channel + 1} alone; with Shift beside the others`}
              onClick={(event) => choose(channel, event.shiftKey)}
            >
              <Text w="14px" fontSize="xs" fontWeight={on ? '700' : '400'} color={on ? 'rust.fg' : 'fg.muted'}>
                {channel + 1}
              </Text>
              <Levels levels={levels_dbfs} on={on} />
              <Text w="56px" fontSize="xs" textAlign="right" color="fg.muted">
                {HOLDS[holds] || `${Math.round(Math.max(...levels_dbfs))} dB`.replace('-', '−')}
              </Text>
            </Button>
          )
        })}
      </Box>
    </Box>
  )
})

function Levels({ levels, on }: { levels: readonly number[]; on: boolean }) {
  const step = 100 / Math.max(levels.length, 1)
  return (
    <Box flex="1" h="14px" color={on ? 'rust.solid' : 'border.emphasized'} asChild>
      <svg viewBox="0 0 100 14" preserveAspectRatio="none" aria-hidden>
        {levels.map((level, k) => {
          const height = Math.max(0, 1 - level / LOWEST_SHOWN) * 14
          return <rect key={k} x={k * step} y={14 - height} width={step * 0.8} height={height} fill="currentColor" />
        })}
      </svg>
    </Box>
  )
}
