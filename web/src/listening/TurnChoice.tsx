import { NativeSelect } from '@chakra-ui/react'
import { player, usePlayer, type Range } from './player'
import { LEAST_TURN_S, TURNS_S } from './ways'

const AS_SELECTED = 'as selected'

/** How long each is heard in turns: some seconds, or as long as what is selected, a bar for instance, counted from there. */
export function TurnChoice({ selected }: { selected: Range | null }) {
  const { lengthS, originS } = usePlayer((s) => s.turn)
  const lasts = selected ? selected.endS - selected.startS : 0
  const isOwn = originS !== 0 || !TURNS_S.includes(lengthS)
  return (
    <NativeSelect.Root size="xs" w="108px" flexShrink={0}>
      <NativeSelect.Field
        aria-label="How long each is heard in turns"
        title="How long each is heard in turns; select a bar to hear them bar by bar"
        value={String(lengthS)}
        onChange={(event) => {
          const chosen = event.currentTarget.value
          if (chosen !== AS_SELECTED)
            player.setTurn({ lengthS: Number(chosen), originS: isOwn && Number(chosen) === lengthS ? originS : 0 })
          else if (selected) player.setTurn({ lengthS: lasts, originS: selected.startS })
        }}
      >
        {TURNS_S.map((seconds) => (
          <option key={seconds} value={seconds}>
            each {seconds} s
          </option>
        ))}
        {isOwn && <option value={lengthS}>each {lengthS.toFixed(2)} s</option>}
        {lasts >= LEAST_TURN_S && <option value={AS_SELECTED}>as selected ({lasts.toFixed(2)} s)</option>}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}
