import { useQueryClient } from '@tanstack/react-query'
import { useMemo } from 'react'
import type { Bend } from '../../api/client'
import { bendOptions } from '../../api/queries'
import { player } from '../../listening/player'
import type { Way } from '../../listening/ways'
import { toRecording } from '../../time/timeMap'
import { REST_MS, useBenchStore, viewOf } from './benchStore'
import { useBendView } from './useBend'

/** What is heard around a tie, s. */
const BEFORE_S = 0.15
const AFTER_S = 0.35

/** Of the keys that move the chosen tie: one, whoever asks. */
let timer = 0

export interface TieActions {
  choose: (index: number | null) => void
  next: (by: 1 | -1) => void
  /** The other point of the chosen tie's syllable: its beginning, or where its vowel opens. */
  other: () => void
  /** A tie at the playhead, where the recording lies now. */
  put: () => void
  split: () => void
  hold: () => boolean
  remove: () => boolean
  /** The chosen tie's sound later; held or pressed again at once it is one change. False where none is chosen. */
  nudge: (byS: number) => boolean
  /** From the tie before the chosen one to the next, s; null where none is chosen. */
  around: () => { startS: number; endS: number } | null
  hear: (way: Way) => void
}

/** What can be done with the ties of the recording on the bench, by hand. */
export function useTies(): TieActions {
  const client = useQueryClient()
  const store = useBenchStore()
  return useMemo(() => {
    const bench = store.getState
    const bend = (): Bend | null => {
      const { recording, mapId } = bench()
      return recording.map?.bent ? (client.getQueryData(bendOptions(recording.id, mapId, null).queryKey) ?? null) : null
    }
    const chosen = (): number | null => {
      const { tie } = useBendView.getState()
      return tie !== null && tie < (bend()?.ties.length ?? 0) ? tie : null
    }
    /** At once, or, where an edit's answer is still on its way, as soon as it is here: no key is lost. */
    const whenBent = (act: (now: Bend) => void): boolean => {
      const { recording, mapId } = bench()
      if (!recording.map?.bent) return false
      const known = bend()
      if (known) act(known)
      else void client.fetchQuery(bendOptions(recording.id, mapId, null)).then((now) => now && act(now))
      return true
    }
    const choose = (index: number | null): void => {
      settle()
      useBendView.setState({ tie: index, landingS: 0 })
      const ties = bend()?.ties
      if (index === null || !ties) return
      // It comes into sight where it was not.
      const { startS, secondsPerPx } = viewOf(bench())
      const [atS, wideS] = [ties[index]!.lies_s, bench().widthPx * secondsPerPx]
      if (atS < startS || atS > startS + wideS) bench().setView((view) => ({ ...view, startS: atS - wideS / 2 }))
      // The loupes look at the tie before, this one and the next.
      const around = [index - 1, index, index + 1].flatMap((one) => ties[one]?.lies_s ?? [])
      if (around.length === 3) bench().lookAt(around)
    }
    const settle = (): void => {
      window.clearTimeout(timer)
      const { nudgedS } = useBendView.getState()
      withChosen((index, now) => {
        const tie = now.ties[index]!
        if (nudgedS) bench().edit({ kind: 'tie', index, t_rec: tie.t_rec, t_ref: tie.lies_s + nudgedS })
      })
      useBendView.setState(({ landingS }) => ({ nudgedS: 0, landingS: landingS + nudgedS }))
    }
    const withChosen = (act: (index: number, bend: Bend) => void): boolean => {
      const { tie } = useBendView.getState()
      return tie !== null && whenBent((now) => tie < now.ties.length && act(tie, now))
    }
    return {
      choose,
      next: (by) =>
        void whenBent(({ ties }) => {
          const here = player.positionS()
          const from = chosen() ?? ties.findIndex((tie) => tie.lies_s > here) - (by > 0 ? 1 : 0)
          const to = Math.max(0, Math.min(ties.length - 1, from + by))
          if (!ties.length) return
          choose(to)
          player.seek(ties[to]!.lies_s)
        }),
      other: () =>
        void withChosen((index, { ties }) => {
          const to = ties[index]!.syllable
          if (to === null) return
          choose(to)
          player.seek(ties[to]!.lies_s)
        }),
      put: () => {
        const t_ref = player.positionS()
        const t_rec = toRecording(bench().pieces, t_ref)
        if (bench().recording.map?.bent && t_rec !== null) bench().edit({ kind: 'tie', t_ref, t_rec })
      },
      split: () => void withChosen((index) => bench().edit({ kind: 'closeness', indices: [index], times: 0.5 })),
      hold: () => withChosen((index, now) => bench().edit({ kind: 'hold-ties', indices: [index], held: !now.ties[index]!.held })),
      remove: () =>
        withChosen((index) => {
          useBendView.setState({ tie: null })
          bench().edit({ kind: 'remove-ties', indices: [index] })
        }),
      nudge: (byS) =>
        withChosen(() => {
          useBendView.setState((now) => ({ nudgedS: now.nudgedS + byS }))
          window.clearTimeout(timer)
          timer = window.setTimeout(settle, REST_MS)
        }),
      around: () => {
        const [index, ties] = [chosen(), bend()?.ties]
        if (index === null || !ties) return null
        return { startS: ties[Math.max(0, index - 1)]!.lies_s, endS: ties[Math.min(ties.length - 1, index + 1)]!.lies_s }
      },
      hear: (way) =>
        void withChosen((index, now) => {
          const tie = now.ties[index]!
          const atS = way === 'reference' ? tie.t_ref : tie.lies_s
          player.hearOnce(atS - BEFORE_S, atS + AFTER_S, atS, way)
        }),
    }
  }, [client, store])
}
