import { Flex, Slider, Text } from '@chakra-ui/react'
import { useRef } from 'react'
import { REST_MS } from './benchStore'

interface Props {
  /** For those who cannot see where it stands. */
  name: string
  /** 0 to 1. */
  value: number
  turn: (value: number) => void
  keep: (value: number) => void
}

const PERCENT = 100

/** How much of each difference is taken away: drawn while it is turned, kept once the hand rests, as one change. */
export function Closeness({ name, value, turn, keep }: Props) {
  const timer = useRef(0)
  const keepSoon = (closeness: number): void => {
    window.clearTimeout(timer.current)
    timer.current = window.setTimeout(() => keep(closeness), REST_MS)
  }
  return (
    <>
      <Flex justify="space-between" fontSize="sm">
        <Text color="fg.muted">closeness</Text>
        <Text fontFamily="mono">{Math.round(value * PERCENT)} %</Text>
      </Flex>
      <Slider.Root
        size="sm"
        min={0}
        max={PERCENT}
        step={5}
        value={[Math.round(value * PERCENT)]}
        aria-label={[name]}
        onValueChange={({ value }) => turn(value[0]! / PERCENT)}
        onValueChangeEnd={({ value }) => keepSoon(value[0]! / PERCENT)}
      >
        <Slider.Control>
          <Slider.Track>
            <Slider.Range />
          </Slider.Track>
          <Slider.Thumbs />
        </Slider.Control>
      </Slider.Root>
    </>
  )
}
