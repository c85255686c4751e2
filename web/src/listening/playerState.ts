import { create } from 'zustand'
import { TURNS_S, WAYS, type Turn, type Way } from './ways'

export interface Range {
  startS: number
  endS: number
}

interface PlayerState {
  playing: boolean
  /** Where playing starts, s of reference time; while playing, ask `positionS`. */
  positionS: number
  way: Way
  turn: Turn
  /** What is repeated, one stretch after the other; none: it plays on. */
  loop: readonly Range[]
  follow: boolean
  error: string | null
}

export const WAY_KEY = 'gullywind-way'
export const TURN_KEY = 'gullywind-turn'
const remembered = localStorage.getItem(WAY_KEY) as Way | null
const rememberedTurnS = Number(localStorage.getItem(TURN_KEY))

export const usePlayer = create<PlayerState>(() => ({
  playing: false,
  positionS: 0,
  way: WAYS.some((w) => w.way === remembered) ? remembered! : 'both',
  turn: { lengthS: TURNS_S.includes(rememberedTurnS) ? rememberedTurnS : 1, originS: 0 },
  loop: [],
  follow: true,
  error: null,
}))
