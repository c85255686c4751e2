import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import type { Pieces } from '../../api/client'
import { momentsOptions } from '../../api/queries'
import { toReference } from '../../time/timeMap'
import { useBench } from './benchStore'

/** A dragged tie settles on a suggestion from this far. */
export const SETTLES_PX = 6

const NONE: readonly number[] = []

/** Moments of the reference on which a tie may be laid, s; none where nothing is bent. */
export function useReferenceMoments(): readonly number[] {
  const referenceId = useBench((s) => s.reference.id)
  const enabled = useBench((s) => s.recording.map?.bent ?? false)
  const { data } = useQuery({ ...momentsOptions(referenceId), enabled })
  return enabled ? (data ?? NONE) : NONE
}

/** Moments of either recording on which a tie may be laid, s of reference time; none where nothing is bent. */
export function useSuggested(pieces: Pieces): { reference: readonly number[]; recording: readonly number[] } {
  const reference = useReferenceMoments()
  const recording = useBench((s) => s.recording)
  const enabled = recording.map?.bent ?? false
  const { data: theirs = NONE } = useQuery({ ...momentsOptions(recording.id), enabled })
  return useMemo(
    () => ({ reference, recording: enabled ? theirs.flatMap((t) => toReference(pieces, t) ?? []) : NONE }),
    [enabled, reference, theirs, pieces],
  )
}
