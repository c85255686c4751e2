import { memo } from 'react'
import { useQuery } from '@tanstack/react-query'
import { changesOptions } from '../../api/queries'
import { Steps } from '../../ui/Steps'
import { useBench } from './benchStore'
import { Section } from './Section'

/** All that was done to the recording, oldest first; any step is gone to by a click, back or forth. */
export const History = memo(function History() {
  const recording = useBench((s) => s.recording)
  const edit = useBench((s) => s.edit)
  const { data: changes } = useQuery(changesOptions(recording.project_id, recording.id, recording.version))
  // What was done before the reference was last changed is gone back to in the project's own history.
  const moved = changes?.findLastIndex((one) => one.moves_reference && one.applied) ?? -1
  const own = changes?.slice(moved + 1).filter((one) => one.recording_ids.includes(recording.id)) ?? []
  if (own.length === 0) return null
  return (
    <Section title="What was done">
      <Steps
        maxH="220px"
        steps={own.map((one) => ({ ...one, words: one.sentence }))}
        go={(number) => edit({ kind: 'go', number: number || (moved >= 0 ? changes![moved]!.number : 0) })}
      />
    </Section>
  )
})
