import { useQueries } from '@tanstack/react-query'
import { useCallback, useMemo } from 'react'
import { create } from 'zustand'
import type { Media, Pieces } from '../../api/client'
import { versionOptions } from '../../api/queries'
import { useBench } from './benchStore'

const KEY = 'gullywind-others'
/** More would hide one another. */
const MOST_LAID = 6

/** Whether the other doubles lie behind the one in hand. Remembered. */
export const useLaidBehind = create<{ on: boolean; turn: () => void }>((set, get) => ({
  on: localStorage.getItem(KEY) === 'behind',
  turn: () => {
    const on = !get().on
    localStorage.setItem(KEY, on ? 'behind' : 'away')
    set({ on })
  },
}))

/** A recording as it is laid behind another. */
export interface Laid {
  name: string
  media: Media
  pieces: Pieces
  polarity: 1 | -1
}

/** The other recordings that follow the same reference. */
export function useOtherDoubles() {
  const recordings = useBench((s) => s.project.recordings)
  const ownId = useBench((s) => s.recording.id)
  return useMemo(() => recordings.filter((one) => one.id !== ownId && one.map?.bent && one.media.state === 'ready'), [recordings, ownId])
}

/** What is drawn behind the recording in hand: nothing unless it was asked for. The same as long as nothing of it changes. */
export function useLaid(): readonly Laid[] {
  const others = useOtherDoubles()
  const on = useLaidBehind((s) => s.on)
  const wanted = useMemo(() => (on ? others.slice(0, MOST_LAID) : []), [on, others])
  const combine = useCallback(
    (found: readonly { data?: { pieces: Pieces } }[]): Laid[] =>
      wanted.flatMap((one, index) => {
        const pieces = one.map!.pieces ?? found[index]?.data?.pieces
        return pieces ? [{ name: one.name, media: one.media, pieces, polarity: one.map!.polarity }] : []
      }),
    [wanted],
  )
  const queries = wanted.map((one) => ({ ...versionOptions(one.id, one.map!.id), enabled: one.map!.pieces === null }))
  return useQueries({ queries, combine })
}
