import { create } from 'zustand'

export const TRACES = [{ kind: 'left' }, { kind: 'recorded' }] as const
type TraceKind = (typeof TRACES)[number]['kind']

const KEY = 'gullywind-trace'
const first = TRACES.find((t) => t.kind === localStorage.getItem(KEY))?.kind ?? 'left'

/** Which timing difference the trace shows: through the map, or of the recording as it was recorded. Remembered. */
export const useTraceKind = create<{ kind: TraceKind; choose: (kind: TraceKind) => void; turn: () => void }>((set, get) => ({
  kind: first,
  choose: (kind) => {
    localStorage.setItem(KEY, kind)
    set({ kind })
  },
  turn: () => get().choose(get().kind === 'left' ? 'recorded' : 'left'),
}))
