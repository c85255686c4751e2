import { Button, Flex, Text } from '@chakra-ui/react'
import { memo } from 'react'
import { rateFrom } from '../../time/rate'
import { TypedField } from './TypedField'
import { useBench } from './benchStore'

const PITCHES = [
  { pitch: 'follows', label: 'moves with it' },
  { pitch: 'kept', label: 'stays' },
] as const

/** How the clock runs: typed, as measured, or refused; and where the speed is changed, what the pitch does. */
export const ClockChoice = memo(function ClockChoice() {
  const { map, judgement } = useBench((s) => s.recording)
  const edit = useBench((s) => s.edit)
  if (!map) return null
  const { value, unit, error } = map.clock
  return (
    <>
      <TypedField
        label="clock"
        name="Clock"
        shown={value}
        unit={unit}
        title="ppm (positive: it runs fast), or its speed as 96 % or 24/25"
        keep={(text) => {
          const rate = rateFrom(text, unit)
          if (rate !== null) edit({ kind: 'rate', rate })
          return rate !== null
        }}
      />
      <Flex justify="space-between" align="center" fontSize="xs" py="1">
        <Text color="fg.muted" fontFamily="mono">
          {error}
        </Text>
        <Flex gap="1">
          <Button
            size="2xs"
            variant="outline"
            disabled={!judgement?.has_clock}
            title="Use the clock that was measured"
            onClick={() => edit({ kind: 'clock', use: 'measured' })}
          >
            as measured
          </Button>
          <Button
            size="2xs"
            variant="outline"
            title="Refuse the measured clock: leave the sound at its own speed"
            onClick={() => edit({ kind: 'clock', use: 'none' })}
          >
            leave it alone
          </Button>
        </Flex>
      </Flex>
      {map.pitch_reason && (
        <>
          <Text fontSize="sm">{map.pitch_reason}</Text>
          <Flex gap="1" align="center" py="1" fontSize="sm" color="fg.muted">
            <Text flex="1">pitch</Text>
            {PITCHES.map(({ pitch, label }) => (
              <Button
                key={pitch}
                size="2xs"
                variant={map.pitch === pitch ? 'solid' : 'outline'}
                aria-pressed={map.pitch === pitch}
                onClick={() => edit({ kind: 'pitch', pitch: map.pitch === pitch ? 'sensible' : pitch })}
              >
                {label}
              </Button>
            ))}
          </Flex>
        </>
      )}
    </>
  )
})
