import { Button } from '@chakra-ui/react'
import { SlidersHorizontal } from 'lucide-react'
import { clearMixer, useMixer } from '../../listening/mixer'

/** Turns the figures beside the strips into how each is heard among the others, and back. */
export function MixSwitch({ mixing, mix }: { mixing: boolean; mix: (mixing: boolean) => void }) {
  const isChanged = useMixer((s) => Object.keys(s.voices).length > 0)
  return (
    <>
      {mixing && isChanged && (
        <Button size="xs" variant="ghost" onClick={clearMixer} title="Every level, mute, solo and position as it was at first">
          All plain
        </Button>
      )}
      <Button
        size="xs"
        variant={mixing ? 'solid' : 'outline'}
        aria-pressed={mixing}
        title="How loud and where each is heard; nothing of it is delivered"
        onClick={() => mix(!mixing)}
      >
        <SlidersHorizontal size={13} /> Mix{isChanged && !mixing ? ' (changed)' : ''}
      </Button>
    </>
  )
}
