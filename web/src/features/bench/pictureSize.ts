import { create } from 'zustand'
import type { Bench } from './benchStore'

/** Whether the recording has a picture and a place for it, and whether the reference has one. */
export const hasOwnPicture = ({ recording }: Bench): boolean => recording.media.picture_start_s !== null && recording.map !== null
export const hasOtherPicture = ({ reference }: Bench): boolean => reference.media.picture_start_s !== null

/** In the side panel, beside the mirror, over the whole window, or not at all. */
export type PictureSize = 'away' | 'small' | 'large' | 'whole'

const KEY = 'gullywind-picture'
const SIZES: readonly PictureSize[] = ['away', 'small', 'large', 'whole']
const kept = localStorage.getItem(KEY) as PictureSize | null

interface Size {
  size: PictureSize
  /** Where it goes back to from the whole window. */
  before: PictureSize
  show: (size: PictureSize) => void
  /** One larger, from the largest to none. */
  turn: () => void
}

/** How large the picture is shown; remembered, but for the whole window. */
export const usePictureSize = create<Size>((set, get) => ({
  size: kept && SIZES.includes(kept) ? kept : 'small',
  before: 'small',
  show: (size) => {
    const { size: now, before } = get()
    if (size !== 'whole') localStorage.setItem(KEY, size)
    set({ size, before: now === 'whole' ? before : now })
  },
  turn: () => get().show(SIZES[(SIZES.indexOf(get().size) + 1) % SIZES.length]!),
}))
