import { useQueries } from '@tanstack/react-query'
import { useMemo } from 'react'
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

/** What is drawn behind the recording in hand: nothing unless it was asked for. */
export function useLaid(): readonly Laid[] {
  const others = useOtherDoubles()
  const on = useLaidBehind((s) => s.on)
  const wanted = on ? others.slice(0, MOST_LAID) : []
  const versions = useQueries({
    queries: wanted.map((one) => ({ ...versionOptions(one.id, one.map!.id), enabled: one.map!.pieces === null })),
    combine: (results) => results.map((one) => one.data?.pieces ?? null),
  })
  const known = wanted.flatMap((one, index): Laid[] => {
    const pieces = one.map!.pieces ?? versions[index] ?? null
    return pieces ? [{ name: one.name, media: one.media, pieces, polarity: one.map!.polarity }] : []
  })
  const key = known.map((one) => one.media.content_hash).join() + wanted.map((one) => one.map!.id).join()
  // The same as long as nothing of it has changed: it is drawn again otherwise.
  // eslint-disable-next-line react-hooks/exhaustive-deps
  return useMemo(() => known, [key])
}
