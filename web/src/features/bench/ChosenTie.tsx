import { Box, Button, Flex, Text } from '@chakra-ui/react'
import { useEffect, useState } from 'react'
import type { Bend } from '../../api/client'
import { useMatching } from '../../api/useMatching'
import { numberFrom, signed } from '../../time/times'
import { useBench } from './benchStore'
import { Closeness } from './Closeness'
import { TypedField } from './TypedField'
import { useBendView } from './useBend'
import { useTies } from './useTies'

/** What matching does to a stretch that is selected. */
export const STRETCH_TITLE = 'The selected stretch alone: its edges are held, and nothing outside moves'

/** How far the stretches before and after a tie are bent. */
function stretchWords(bend: Bend, atS: number): string {
  const words = (one: Bend['stretches'][number] | undefined): string =>
    one ? `${signed(one.percent, 0)} % (${signed(one.by_ms, 0)} ms)` : 'unbent'
  const before = bend.stretches.find((one) => Math.abs(one.end_s - atS) < 1e-6)
  const after = bend.stretches.find((one) => Math.abs(one.start_s - atS) < 1e-6)
  return `before it ${words(before)}, after it ${words(after)}`
}

/** What can be done with a selected stretch of time. */
export function ChosenStretch({ bend }: { bend: Bend }) {
  const selection = useBench((s) => s.selection)
  const edit = useBench((s) => s.edit)
  const [recordingId, projectId] = [useBench((s) => s.recording.id), useBench((s) => s.project.id)]
  const match = useMatching(projectId)
  const [turned, turn] = useState<number | null>(null)
  useEffect(() => turn(null), [bend, selection])
  if (!selection) return null
  const indices = bend.ties.flatMap((tie, index) => (tie.t_ref >= selection.startS && tie.t_ref <= selection.endS ? [index] : []))
  const button = { size: '2xs', variant: 'outline' } as const
  const close = (closeness: number | null): void => edit({ kind: 'closeness', indices, closeness })
  // Ties that differ are told by their mean.
  const own = indices.map((index) => bend.ties[index]!.closeness ?? bend.closeness)
  const closeness = own.reduce((sum, one) => sum + one, 0) / Math.max(own.length, 1)
  const stretch = { start_s: selection.startS, end_s: selection.endS }
  const anew = (): void => match.mutate({ recordingIds: [recordingId], stretch })
  const edges = (only: boolean): void => edit({ kind: 'hold-edges', start_s: selection.startS, end_s: selection.endS, only })
  return (
    <Box borderTopWidth="1px" mt="2" pt="1" data-testid="chosen-stretch">
      <Text fontSize="sm" fontWeight="600">
        Selected stretch, {indices.length} ties
      </Text>
      <Flex gap="1" wrap="wrap" pt="1">
        <Button {...button} loading={match.isPending} title={STRETCH_TITLE} onClick={anew}>
          Match it anew
        </Button>
        <Button {...button} title="Nothing beyond its edges moves" onClick={() => edges(false)}>
          Hold its edges
        </Button>
        <Button {...button} title="All else keeps its timing" onClick={() => edges(true)}>
          Bend it alone
        </Button>
        <Button {...button} disabled={!indices.length} title="By the closeness of all" onClick={() => close(null)}>
          As close as all
        </Button>
      </Flex>
      {indices.length > 0 && (
        <Box pt="1.5">
          <Closeness name="Closeness of the selected stretch, per cent" value={turned ?? closeness} turn={turn} keep={close} />
        </Box>
      )}
    </Box>
  )
}

/** The tie that was chosen, its figures and what can be done with it. */
export function ChosenTie({ bend }: { bend: Bend }) {
  const index = useBendView((s) => s.tie)
  const edit = useBench((s) => s.edit)
  const ties = useTies()
  const tie = index === null ? undefined : bend.ties[index]
  if (!tie || index === null)
    return (
      <Text fontSize="xs" color="fg.muted" mt="1">
        {bend.ties.length} ties. Click one in the trace or the waves, or go from one to the next (Y).
      </Text>
    )
  const button = { size: '2xs', variant: 'outline' } as const
  return (
    <Box borderTopWidth="1px" mt="2" pt="1" data-testid="chosen-tie">
      <Text fontSize="sm" fontWeight="600">
        {tie.words}
      </Text>
      <TypedField
        label="late by"
        name="Performed late by, ms"
        shown={tie.late_ms.toFixed(1)}
        unit="ms"
        title="ms; below zero it is early"
        keep={(text) => {
          const value = numberFrom(text, 'ms')
          if (value !== null) edit({ kind: 'tie', index, t_rec: tie.t_rec, t_ref: tie.t_rec + bend.offset_s - value / 1000 })
          return value !== null
        }}
      />
      <Text fontSize="xs" color="fg.muted" pt="1">
        {stretchWords(bend, tie.lies_s)}
      </Text>
      <Text fontSize="xs" color="fg.muted" pb="1">
        {tie.fate}
      </Text>
      <Flex gap="1" wrap="wrap">
        <Button {...button} title="Half of what it moves, again and again (I)" onClick={ties.split}>
          Split the difference
        </Button>
        <Button {...button} title="Held ties stay where they lie, whatever is chosen for all (H)" onClick={ties.hold}>
          {tie.held ? 'Let go' : 'Hold'}
        </Button>
        <Button {...button} title="Take it out (Delete)" onClick={ties.remove}>
          Remove
        </Button>
        {tie.closeness !== null && !tie.by_hand && (
          <Button {...button} onClick={() => edit({ kind: 'closeness', indices: [index], closeness: null })}>
            As close as all
          </Button>
        )}
      </Flex>
    </Box>
  )
}
