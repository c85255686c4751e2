import { Button, Flex, NativeSelect, Text } from '@chakra-ui/react'
import { useMutation } from '@tanstack/react-query'
import { memo, useEffect } from 'react'
import { api, told } from '../../api/client'
import { useMatching } from '../../api/useMatching'
import { useBench } from './benchStore'
import { BendSettings } from './BendSettings'
import { useOtherDoubles } from './laidBehind'
import { STRETCH_TITLE } from './ChosenTie'
import { Section } from './Section'
import { useBend, useBendView } from './useBend'

/** Following another performance: asked for, under way, or how it is done. */
export const BendPanel = memo(function BendPanel() {
  const recordingId = useBench((s) => s.recording.id)
  const locked = useBench((s) => s.recording.locked)
  const projectId = useBench((s) => s.project.id)
  const work = useBench((s) => s.project.works.find((one) => one.recording_id === s.recording.id && one.kind === 'match'))
  const bend = useBend()
  const match = useMatching(projectId)
  const refusals = useBench((s) => s.refusals)
  useEffect(() => useBendView.setState({ tried: null, tie: null }), [recordingId])
  // Where a tie lies now was told, or that it was not moved.
  useEffect(() => useBendView.setState({ landingS: 0 }), [bend, refusals])
  const stop = useMutation({
    mutationFn: (id: string) => told(api.DELETE('/api/works/{work_id}', { params: { path: { work_id: id } } })),
  })
  const isOpen = work?.state === 'queued' || work?.state === 'running'
  const selection = useBench((s) => s.selection)
  const stretch = selection && { start_s: selection.startS, end_s: selection.endS }
  const ask = { size: '2xs', variant: 'outline', disabled: locked, loading: match.isPending } as const
  const failed = work?.state === 'failed' ? work.message : null
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
        <>
          {failed && (
            <Text fontSize="xs" color="ochre.fg">
              {failed}
            </Text>
          )}
          <BendSettings bend={bend} />
        </>
      ) : (
        <>
          <Text fontSize="xs" color="fg.muted">
            {failed ?? 'A double, a line spoken again, the same notes once more: word by word onto the reference.'}
          </Text>
          <Flex gap="1" mt="1" wrap="wrap">
            {stretch && (
              <Button {...ask} title={STRETCH_TITLE} onClick={() => match.mutate({ recordingIds: [recordingId], stretch })}>
                Follow in the selection
              </Button>
            )}
            <Button {...ask} onClick={() => match.mutate({ recordingIds: [recordingId] })}>
              {stretch ? 'Follow in all of it' : failed ? 'Try again' : 'Follow the reference'}
            </Button>
          </Flex>
          <ExactlyAs />
        </>
      )}
    </Section>
  )
})

/** The very bend of another recording: a second microphone of the same take. */
function ExactlyAs() {
  const others = useOtherDoubles()
  const edit = useBench((s) => s.edit)
  if (!others.length) return null
  return (
    <NativeSelect.Root size="xs" mt="1.5">
      <NativeSelect.Field
        aria-label="Bend exactly as"
        title="The identical bend, for another microphone of the same take"
        value=""
        onChange={(event) => edit({ kind: 'bend-as', recording_id: event.target.value })}
      >
        <option value="" disabled>
          or exactly as …
        </option>
        {others.map((one) => (
          <option key={one.id} value={one.id}>
            {one.name}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}
