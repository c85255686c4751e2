import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import type { Pieces } from '../../api/client'
import { momentsOptions } from '../../api/queries'
import { toReference } from '../../time/timeMap'
import { useBench } from './benchStore'

const NONE: readonly number[] = []

/** Moments of either recording on which a tie may be laid, s of reference time; none where nothing is bent. */
export function useSuggested(pieces: Pieces): { reference: readonly number[]; recording: readonly number[] } {
  const referenceId = useBench((s) => s.reference.id)
  const recording = useBench((s) => s.recording)
  const enabled = recording.map?.bent ?? false
  const { data: ours = NONE } = useQuery({ ...momentsOptions(referenceId), enabled })
  const { data: theirs = NONE } = useQuery({ ...momentsOptions(recording.id), enabled })
  return useMemo(
    () =>
      enabled ? { reference: ours, recording: theirs.flatMap((t) => toReference(pieces, t) ?? []) } : { reference: NONE, recording: NONE },
    [enabled, ours, theirs, pieces],
  )
}
