import { create } from 'zustand'

/** Steps of a nudge; `seconds` depends on the reference's sample rate and the project's frame rate. */
export const STEPS = [
  { key: 'sample', label: '1 sample', seconds: (rateHz: number) => 1 / rateHz },
  { key: 'tenth', label: '0.1 ms', seconds: () => 0.0001 },
  { key: 'ms', label: '1 ms', seconds: () => 0.001 },
  { key: 'ten', label: '10 ms', seconds: () => 0.01 },
  { key: 'frame', label: '1 frame', seconds: (_: number, frameRate: number) => 1 / frameRate },
] as const
export type StepKey = (typeof STEPS)[number]['key']

const KEY = 'gullywind-step'
const first = STEPS.find((s) => s.key === localStorage.getItem(KEY))?.key ?? 'ms'

/** The chosen step, remembered. */
export const useStep = create<{ step: StepKey; choose: (step: StepKey) => void; shift: (by: 1 | -1) => void }>((set, get) => ({
  step: first,
  choose: (step) => {
    localStorage.setItem(KEY, step)
    set({ step })
  },
  shift: (by) => {
    const at = STEPS.findIndex((s) => s.key === get().step)
    const next = STEPS[Math.min(Math.max(at + by, 0), STEPS.length - 1)]!
    get().choose(next.key)
  },
}))
