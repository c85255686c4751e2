import { create } from 'zustand'
import { player, usePlayer } from '../../listening/player'

/** What is heard at each moment that the pointer passes, s, and how soon after the one before, ms. */
const GRAIN_S = 0.12
const EVERY_MS = 90

/** Whether what lies under the pointer is heard as it moves: while a key is held. */
export const useScrub = create<{ on: boolean }>(() => ({ on: false }))

let last = 0

/** The sound under the pointer, in the way of hearing that was chosen; nothing unless it is asked for. */
export function scrub(atS: number): void {
  const now = performance.now()
  if (!useScrub.getState().on || now - last < EVERY_MS) return
  last = now
  player.hearOnce(atS, atS + GRAIN_S, atS, usePlayer.getState().way)
}
