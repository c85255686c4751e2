import { useQueryClient } from '@tanstack/react-query'
import { useCallback, useMemo, useRef, useState } from 'react'
import { api, Refused, told, type Edit, type EditWish, type Recording } from '../../api/client'
import { putRecording } from '../../api/queries'
import { sayProblem } from '../../ui/problems'
import { wishOf, type Move } from './geometry/moves'

export interface Edits {
  /** Moves of the whole that are drawn but not yet stored, s. */
  pendingS: number
  /** Another move that is drawn but not yet stored. */
  drawn: Move | null
  /** Show a move while a drag goes on; nothing is stored. Null: the drag came to nothing. */
  preview: (move: Move | null) => void
  /** Store a move. */
  keep: (move: Move) => void
  edit: (wish: EditWish) => void
}

/** Edits of one recording's map, one at a time: what comes while one is under way is added up or waits. */
export function useEdits(recording: Recording): Edits {
  const client = useQueryClient()
  const [pendingS, setPendingS] = useState(0)
  const [drawn, setDrawn] = useState<Move | null>(null)
  const state = useRef({ version: recording.version, owedS: 0, waiting: [] as EditWish[], busy: false })
  // A page that was asked for before an edit may arrive after it: versions only rise.
  state.current.version = Math.max(state.current.version, recording.version)

  const send = useCallback(async () => {
    const s = state.current
    if (s.busy) return
    s.busy = true
    try {
      for (;;) {
        const byS = s.owedS
        const wish: EditWish | undefined = byS !== 0 ? { kind: 'nudge', by_s: byS } : s.waiting.shift()
        if (!wish) break
        const changed = await told(
          api.POST('/api/recordings/{recording_id}/map-edits', {
            params: { path: { recording_id: recording.id } },
            body: { ...wish, version: s.version } as Edit,
          }),
        )
        s.version = changed.version
        s.owedS -= byS
        if (Math.abs(s.owedS) < 1e-12) s.owedS = 0
        putRecording(client, changed)
        setPendingS(s.owedS)
        if (!s.waiting.length) setDrawn(null)
      }
    } catch (error) {
      s.owedS = 0
      s.waiting = []
      setPendingS(0)
      setDrawn(null)
      sayProblem(error instanceof Error ? error.message : String(error))
      if (error instanceof Refused) await client.invalidateQueries({ queryKey: ['project', recording.project_id] })
    } finally {
      s.busy = false
    }
  }, [client, recording.id, recording.project_id])

  const preview = useCallback((move: Move | null) => {
    if (move?.kind === 'shift') return setPendingS(state.current.owedS + move.byS)
    setPendingS(state.current.owedS)
    setDrawn(move)
  }, [])
  const edit = useCallback(
    (wish: EditWish) => {
      state.current.waiting.push(wish)
      void send()
    },
    [send],
  )
  const keep = useCallback(
    (move: Move) => {
      if (move.kind === 'shift') {
        state.current.owedS += move.byS
        setPendingS(state.current.owedS)
        void send()
      } else {
        setDrawn(move)
        edit(wishOf(move))
      }
    },
    [send, edit],
  )
  // One object as long as nothing changes, so that what shows it is not rendered anew at every zoom.
  return useMemo(() => ({ pendingS, drawn, preview, keep, edit }), [pendingS, drawn, preview, keep, edit])
}
