import { create } from 'zustand'
import { WAYS, type Way } from './ways'

export interface Range {
  startS: number
  endS: number
}

interface PlayerState {
  playing: boolean
  /** Where playing starts, s of reference time; while playing, ask `positionS`. */
  positionS: number
  way: Way
  /** What is repeated, one stretch after the other; none: it plays on. */
  loop: readonly Range[]
  follow: boolean
  error: string | null
}

export const WAY_KEY = 'gullywind-way'
const remembered = localStorage.getItem(WAY_KEY) as Way | null

export const usePlayer = create<PlayerState>(() => ({
  playing: false,
  positionS: 0,
  way: WAYS.some((w) => w.way === remembered) ? remembered! : 'both',
  loop: [],
  follow: true,
  error: null,
}))
