import { useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
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
  /** Move by a key: what is held or pressed again at once is one change, stored when the hand rests. */
  nudge: (byS: number) => void
  /** The hand rests: store what the keys moved. */
  settle: () => void
}

/** How long a hand may rest between two presses that are one change. */
const REST_MS = 350

interface Queue {
  version: number
  /** In the order in which they were made; those of the whole that are not stored yet move what is drawn. */
  waiting: EditWish[]
  /** Moved by keys, and still to be moved, s. */
  heldS: number
  timer: number
  busy: boolean
}

const byOf = (wish: EditWish): number => (wish.kind === 'nudge' ? wish.by_s : 0)

/** Edits of one recording's map, sent one at a time and strictly in the order in which they were made. */
export function useEdits(recording: Recording): Edits {
  const client = useQueryClient()
  const [pendingS, setPendingS] = useState(0)
  const [drawn, setDrawn] = useState<Move | null>(null)
  const state = useRef<Queue>({ version: recording.version, waiting: [], heldS: 0, timer: 0, busy: false })
  // A page that was asked for before an edit may arrive after it: versions only rise.
  state.current.version = Math.max(state.current.version, recording.version)

  const owedS = useCallback(() => state.current.heldS + state.current.waiting.reduce((sum, one) => sum + byOf(one), 0), [])

  const send = useCallback(async () => {
    const s = state.current
    if (s.busy) return
    s.busy = true
    try {
      for (let wish = s.waiting[0]; wish; wish = s.waiting[0]) {
        const changed = await told(
          api.POST('/api/recordings/{recording_id}/map-edits', {
            params: { path: { recording_id: recording.id } },
            body: { ...wish, version: s.version } as Edit,
          }),
        )
        s.version = changed.version
        s.waiting.shift()
        putRecording(client, changed)
        setPendingS(owedS())
        if (!s.waiting.length) setDrawn(null)
      }
    } catch (error) {
      s.waiting = []
      s.heldS = 0
      setPendingS(0)
      setDrawn(null)
      sayProblem(error instanceof Error ? error.message : String(error))
      if (error instanceof Refused) await client.invalidateQueries({ queryKey: ['project', recording.project_id] })
    } finally {
      s.busy = false
    }
  }, [client, owedS, recording.id, recording.project_id])

  const settle = useCallback(() => {
    const s = state.current
    window.clearTimeout(s.timer)
    if (Math.abs(s.heldS) > 1e-12) s.waiting.push({ kind: 'nudge', by_s: s.heldS })
    s.heldS = 0
    void send()
  }, [send])
  // Who leaves while a key is held has moved it all the same.
  useEffect(() => settle, [settle])

  const nudge = useCallback(
    (byS: number) => {
      const s = state.current
      s.heldS += byS
      setPendingS(owedS())
      window.clearTimeout(s.timer)
      s.timer = window.setTimeout(settle, REST_MS)
    },
    [owedS, settle],
  )
  const preview = useCallback(
    (move: Move | null) => {
      if (move?.kind === 'shift') return setPendingS(owedS() + move.byS)
      setPendingS(owedS())
      setDrawn(move)
    },
    [owedS],
  )
  const edit = useCallback(
    (wish: EditWish) => {
      settle()
      state.current.waiting.push(wish)
      setPendingS(owedS())
      void send()
    },
    [owedS, send, settle],
  )
  const keep = useCallback(
    (move: Move) => {
      if (move.kind === 'shift') edit({ kind: 'nudge', by_s: move.byS })
      else {
        setDrawn(move)
        edit(wishOf(move))
      }
    },
    [edit],
  )
  // One object as long as nothing changes, so that what shows it is not rendered anew at every zoom.
  return useMemo(() => ({ pendingS, drawn, preview, keep, edit, nudge, settle }), [pendingS, drawn, preview, keep, edit, nudge, settle])
}
