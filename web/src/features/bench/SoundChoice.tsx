import { Button, Flex, Text } from '@chakra-ui/react'
import { memo } from 'react'
import { numberFrom, signed } from '../../time/times'
import { useBench } from './benchStore'
import { ChannelChoice } from './ChannelChoice'
import { Section } from './Section'
import { TypedField } from './TypedField'

/** How the recording sounds wherever it lies: loudness, channels, polarity; pushed on purpose; delivered or not. */
export const SoundChoice = memo(function SoundChoice() {
  const recording = useBench((s) => s.recording)
  const edit = useBench((s) => s.edit)
  const { map, judgement } = recording
  if (!map) return null
  return (
    <Section title="Sound">
      <TypedField
        label="gain"
        name="Gain, dB"
        shown={signed(map.gain_db, 1)}
        unit="dB"
        title="a number of dB, such as −3.5"
        keep={(text) => {
          const value = numberFrom(text, 'dB')
          if (value !== null) edit({ kind: 'gain', gain_db: value })
          return value !== null
        }}
      />
      <TypedField
        label="push"
        name="Push, milliseconds"
        shown={signed(map.push_ms, 1)}
        unit="ms"
        title="ms on top of its place, positive: later"
        keep={(text) => {
          const value = numberFrom(text, 'ms')
          if (value !== null) edit({ kind: 'push', push_s: value / 1000 })
          return value !== null
        }}
      />
      <ChannelChoice />
      <Row label="polarity">
        <Button
          size="2xs"
          variant={map.polarity === -1 ? 'solid' : 'outline'}
          aria-pressed={map.polarity === -1}
          title={judgement?.polarity === -1 ? 'It was recorded inverted against the reference' : 'It was recorded as the reference was'}
          onClick={() => edit({ kind: 'polarity', polarity: map.polarity === 1 ? -1 : 1 })}
        >
          {map.polarity === -1 ? 'turned over' : 'turn over'}
        </Button>
      </Row>
      <Row label={map.kept ? 'will be delivered' : 'not delivered'}>
        <Button
          size="2xs"
          variant={map.kept ? 'outline' : 'solid'}
          aria-pressed={!map.kept}
          title="Scratch sound is heard for checking, and never delivered"
          onClick={() => edit({ kind: 'kept', kept: !map.kept })}
        >
          {map.kept ? 'keep as scratch' : 'scratch sound'}
        </Button>
      </Row>
    </Section>
  )
})

function Row({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <Flex justify="space-between" align="center" fontSize="sm" borderBottomWidth="1px" borderStyle="dotted" py="1">
      <Text color="fg.muted">{label}</Text>
      {children}
    </Flex>
  )
}
