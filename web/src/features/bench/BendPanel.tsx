import { Box, Button, Flex, Slider, Text } from '@chakra-ui/react'
import { useMutation } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { api, told, type Bend } from '../../api/client'
import { useMatching } from '../../api/useMatching'
import { numberFrom, signed } from '../../time/times'
import { Choice } from '../../ui/Choice'
import { REST_MS, useBench } from './benchStore'
import { Section } from './Section'
import { TypedField } from './TypedField'
import { useBend, useBendView, type BendWish } from './useBend'
import { useTies } from './useTies'

const ENDS = [
  { value: 'follow', label: 'starts and ends' },
  { value: 'keep', label: 'starts only' },
] as const

/** Following another performance: asked for, under way, or how it is done. */
export function BendPanel() {
  const recording = useBench((s) => s.recording)
  const project = useBench((s) => s.project)
  const bend = useBend()
  const match = useMatching(project.id)
  useEffect(() => useBendView.setState({ tried: null, tie: null }), [recording.id])
  const work = project.works.find((one) => one.recording_id === recording.id && one.kind === 'match')
  const stop = useMutation({
    mutationFn: (id: string) => told(api.DELETE('/api/works/{work_id}', { params: { path: { work_id: id } } })),
  })
  const isOpen = work?.state === 'queued' || work?.state === 'running'
  const ask = { size: '2xs', variant: 'outline', disabled: recording.locked, loading: match.isPending } as const
  return (
    <Section title={bend ? 'Bend' : 'Another performance'}>
      {isOpen ? (
        <Flex align="center" gap="2" fontSize="sm" role="status">
          <Text flex="1">following the reference … {Math.round(work.fraction_done * 100)} %</Text>
          <Button size="2xs" variant="outline" onClick={() => stop.mutate(work.id)}>
            Stop
          </Button>
        </Flex>
      ) : bend ? (
        <Settings bend={bend} />
      ) : (
        <>
          <Text fontSize="xs" color="fg.muted">
            {work?.state === 'failed'
              ? work.message
              : 'A double, a line spoken again, the same notes once more: word by word onto the reference.'}
          </Text>
          <Button {...ask} mt="1" onClick={() => match.mutate([recording.id])}>
            {work?.state === 'failed' ? 'Try again' : 'Follow the reference'}
          </Button>
        </>
      )}
    </Section>
  )
}

function Settings({ bend }: { bend: Bend }) {
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
  const typed = (text: string, unit: string, least: number, to: (value: number) => Partial<BendWish>): boolean => {
    const value = numberFrom(text, unit)
    if (value === null || value < least) return false
    keep(to(value))
    return true
  }
  return (
    <>
      <Flex justify="space-between" fontSize="sm">
        <Text color="fg.muted">closeness</Text>
        <Text fontFamily="mono">{Math.round(shown.closeness * 100)} %</Text>
      </Flex>
      <Slider.Root
        size="sm"
        min={0}
        max={100}
        step={5}
        value={[Math.round(shown.closeness * 100)]}
        aria-label={['Closeness, per cent']}
        onValueChange={({ value }) => void tryOut({ closeness: value[0]! / 100 })}
        onValueChangeEnd={({ value }) => keepSoon({ closeness: value[0]! / 100 })}
      >
        <Slider.Control>
          <Slider.Track>
            <Slider.Range />
          </Slider.Track>
          <Slider.Thumbs />
        </Slider.Control>
      </Slider.Root>
      <TypedField
        label="leave below"
        name="Leave alone below, ms"
        shown={String(shown.leave_below_ms)}
        unit="ms"
        title="smaller differences stay: width and charm"
        keep={(text) => typed(text, 'ms', 0, (leave_below_ms) => ({ leave_below_ms }))}
      />
      <TypedField
        label="bend at most"
        name="Bend at most, per cent"
        shown={String(shown.limit_percent)}
        unit="%"
        title="how far a passage may be stretched or squeezed"
        keep={(text) => typed(text, '%', 0.1, (limit_percent) => ({ limit_percent }))}
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
    </>
  )
}

/** How far the stretches before and after a tie are bent. */
function stretchWords(bend: Bend, atS: number): string {
  const words = (one: Bend['stretches'][number] | undefined): string =>
    one ? `${signed(one.percent, 0)} % (${signed(one.by_ms, 0)} ms)` : 'unbent'
  const before = bend.stretches.find((one) => Math.abs(one.end_s - atS) < 1e-6)
  const after = bend.stretches.find((one) => Math.abs(one.start_s - atS) < 1e-6)
  return `before it ${words(before)}, after it ${words(after)}`
}

/** What can be done with a selected stretch of time. */
function ChosenStretch({ bend }: { bend: Bend }) {
  const selection = useBench((s) => s.selection)
  const edit = useBench((s) => s.edit)
  if (!selection) return null
  const indices = bend.ties.flatMap((tie, index) => (tie.lies_s >= selection.startS && tie.lies_s <= selection.endS ? [index] : []))
  const button = { size: '2xs', variant: 'outline' } as const
  const close = (closeness: number | null): void => edit({ kind: 'closeness', indices, closeness })
  const edges = (only: boolean): void => edit({ kind: 'hold-edges', start_s: selection.startS, end_s: selection.endS, only })
  return (
    <Box borderTopWidth="1px" mt="2" pt="1" data-testid="chosen-stretch">
      <Text fontSize="sm" fontWeight="600">
        Selected stretch, {indices.length} ties
      </Text>
      <Flex gap="1" wrap="wrap" pt="1">
        <Button {...button} title="Nothing beyond its edges moves" onClick={() => edges(false)}>
          Hold its edges
        </Button>
        <Button {...button} title="All else keeps its timing" onClick={() => edges(true)}>
          Bend it alone
        </Button>
        <Button {...button} disabled={!indices.length} onClick={() => close(0)}>
          Leave as performed
        </Button>
        <Button {...button} disabled={!indices.length} onClick={() => close(1)}>
          Follow fully
        </Button>
        <Button {...button} disabled={!indices.length} title="By the closeness of all" onClick={() => close(null)}>
          As all
        </Button>
      </Flex>
    </Box>
  )
}

/** The tie that was chosen, its figures and what can be done with it. */
function ChosenTie({ bend }: { bend: Bend }) {
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
            As all
          </Button>
        )}
      </Flex>
    </Box>
  )
}
