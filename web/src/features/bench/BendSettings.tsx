import { Button, Flex, Text } from '@chakra-ui/react'
import { useEffect, useRef } from 'react'
import type { Bend } from '../../api/client'
import { numberFrom } from '../../time/times'
import { Choice } from '../../ui/Choice'
import { REST_MS, useBench } from './benchStore'
import { Closeness } from './Closeness'
import { ChosenStretch, ChosenTie } from './ChosenTie'
import { useLaidBehind, useOtherDoubles } from './laidBehind'
import { TypedField } from './TypedField'
import { useBendView, type BendWish } from './useBend'
import { useTies } from './useTies'

const ENDS = [
  { value: 'follow', label: 'starts and ends' },
  { value: 'keep', label: 'starts only' },
] as const

/** Steps of what is turned. */
const LEAVE_STEP_MS = 5
const LIMIT_STEP_PERCENT = 5

/** The next whole step from a value. */
const stepped = (value: number, steps: number, step: number, least: number): number =>
  Math.max(least, (steps > 0 ? Math.floor(value / step) + steps : Math.ceil(value / step) + steps) * step)

/** How closely a recording follows, and what was chosen of it. */
export function BendSettings({ bend }: { bend: Bend }) {
  const edit = useBench((s) => s.edit)
  const tried = useBendView((s) => s.tried)
  const stored: BendWish = {
    closeness: bend.closeness,
    leave_below_ms: bend.leave_below_ms,
    limit_percent: bend.limit_percent,
    ends: bend.ends,
  }
  const shown = tried ?? stored
  const timer = useRef(0)
  // What was tried out is shown until it is stored, and drawn by what is stored from then on.
  const mapId = useBench((s) => s.mapId)
  const refusals = useBench((s) => s.refusals)
  useEffect(() => useBendView.setState({ tried: null }), [mapId, refusals])
  // As it is when it is asked: a timer was set by an older view of it.
  const tryOut = (change: Partial<BendWish>): BendWish => {
    const wish = { ...(useBendView.getState().tried ?? stored), ...change }
    useBendView.setState({ tried: wish })
    return wish
  }
  const keep = (change: Partial<BendWish>): void => {
    window.clearTimeout(timer.current)
    edit({ kind: 'bend', least_certainty: bend.least_certainty, ...tryOut(change) })
  }
  // Turned on before the hand has rested: one change.
  const keepSoon = (change: Partial<BendWish>): void => {
    window.clearTimeout(timer.current)
    timer.current = window.setTimeout(() => keep(change), REST_MS)
  }
  const turned = (change: Partial<BendWish>): void => {
    tryOut(change)
    keepSoon(change)
  }
  const typed = (text: string, unit: string, least: number, to: (value: number) => Partial<BendWish>): boolean => {
    const value = numberFrom(text, unit)
    if (value === null || value < least) return false
    keep(to(value))
    return true
  }
  return (
    <>
      <Closeness
        name="Closeness, per cent"
        value={shown.closeness}
        turn={(closeness) => void tryOut({ closeness })}
        keep={(closeness) => keep({ closeness })}
      />
      <TypedField
        label="leave below"
        name="Leave alone below, ms"
        shown={String(shown.leave_below_ms)}
        unit="ms"
        title="smaller differences stay: width and charm"
        keep={(text) => typed(text, 'ms', 0, (leave_below_ms) => ({ leave_below_ms }))}
        turn={{
          less: 'Leave less alone',
          more: 'Leave more alone',
          by: (steps) => turned({ leave_below_ms: stepped(shown.leave_below_ms, steps, LEAVE_STEP_MS, 0) }),
        }}
      />
      <TypedField
        label="bend at most"
        name="Bend at most, per cent"
        shown={String(shown.limit_percent)}
        unit="%"
        title="how far a passage may be stretched or squeezed"
        keep={(text) => typed(text, '%', 0.1, (limit_percent) => ({ limit_percent }))}
        turn={{
          less: 'Bend less',
          more: 'Bend more',
          by: (steps) => turned({ limit_percent: stepped(shown.limit_percent, steps, LIMIT_STEP_PERCENT, LIMIT_STEP_PERCENT) }),
        }}
      />
      <Choice
        label="What follows"
        options={ENDS}
        value={shown.ends ? 'follow' : 'keep'}
        choose={(value) => keep({ ends: value === 'follow' })}
        button={{ flex: '1', size: '2xs', px: '0', rounded: 'none', fontWeight: 'normal' }}
        borderWidth="1px"
        borderColor="border.emphasized"
        rounded="md"
        overflow="hidden"
        mt="1.5"
      />
      {bend.words && (
        <Text fontSize="xs" color="ochre.fg" mt="1">
          {bend.words}
        </Text>
      )}
      <ChosenStretch bend={bend} />
      <ChosenTie bend={bend} />
      <Flex gap="1" mt="1.5">
        <Button size="2xs" variant="outline" title="A tie where the recording lies now (W)" onClick={useTies().put}>
          Tie at the playhead
        </Button>
        <Button
          size="2xs"
          variant="ghost"
          title="Back to its plain place; undo brings the bend back"
          onClick={() => edit({ kind: 'unbend' })}
        >
          Take the bend off
        </Button>
      </Flex>
      <OthersBehind />
    </>
  )
}

/** The other doubles behind this one, in the waves. */
function OthersBehind() {
  const others = useOtherDoubles()
  const { on, turn } = useLaidBehind()
  if (!others.length) return null
  return (
    <Button
      size="2xs"
      variant={on ? 'subtle' : 'outline'}
      mt="1"
      aria-pressed={on}
      title="In the lower half of the waves (G)"
      onClick={turn}
    >
      {on ? 'Put the other doubles away' : 'Lay the other doubles behind'}
    </Button>
  )
}
