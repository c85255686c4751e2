import { create } from 'zustand'

const KEY = 'gullywind-waves'

/** How waves are drawn near by: each about a line of its own, or both over one. Remembered. */
export const useWaveKind = create<{ over: boolean; turn: () => void }>((set, get) => ({
  over: localStorage.getItem(KEY) === 'over',
  turn: () => {
    const over = !get().over
    localStorage.setItem(KEY, over ? 'over' : 'apart')
    set({ over })
  },
}))
