import { useQueryClient } from '@tanstack/react-query'
import { useMemo } from 'react'
import { create } from 'zustand'
import { api, told, type Mark } from '../../api/client'
import { marksOptions, useMarksOf } from '../../api/queries'
import type { DrawnMark } from '../../drawing/marks'
import { player } from '../../listening/player'
import { identity, toRecording, toReference } from '../../time/timeMap'
import { sayProblem } from '../../ui/problems'
import { useBench, useBenchStore, type Bench } from './benchStore'

export type Side = 'reference' | 'recording'

/** Which mark of either side is meant, by its time, s of its own recording. */
export const useChosenMarks = create<Record<Side, number | null>>(() => ({ reference: null, recording: null }))

const NONE: readonly Mark[] = []

/** The marks of both sides, in the order of time. */
export function useMarks(): Record<Side, readonly Mark[]> {
  const reference = useMarksOf(useBench((s) => s.reference))
  const recording = useMarksOf(useBench((s) => s.recording))
  return useMemo(() => ({ reference, recording }), [reference, recording])
}

/** The same where they lie in reference time, for drawing. */
export function useDrawnMarks(): Record<Side, readonly DrawnMark[]> {
  const marks = useMarks()
  const pieces = useBench((s) => s.pieces)
  const chosen = useChosenMarks()
  return useMemo(() => {
    const drawn = (side: Side, toRef: (tRecS: number) => number | null): DrawnMark[] =>
      marks[side].flatMap((mark) => {
        const tRefS = toRef(mark.t_rec)
        return tRefS === null ? [] : [{ tRefS, name: mark.name, own: mark.id !== null, chosen: chosen[side] === mark.t_rec }]
      })
    return { reference: drawn('reference', (t) => t), recording: drawn('recording', (t) => toReference(pieces, t)) }
  }, [marks, pieces, chosen])
}

const toRef = (bench: Bench, side: Side, tRecS: number): number | null =>
  toReference(side === 'reference' ? identity(bench.reference.media.duration_s ?? 0) : bench.pieces, tRecS)

/** What can be done with marks, by keys and by buttons. */
export function useMarkActions() {
  const client = useQueryClient()
  const store = useBenchStore()
  return useMemo(() => {
    const bench = store.getState
    const marksOf = (side: Side): readonly Mark[] => {
      const all = client.getQueryData(marksOptions(bench().project.id).queryKey)
      return all?.find((one) => one.recording_id === bench()[side].id)?.marks ?? NONE
    }
    /** What a change of the marks gave, once they are shown; a refusal is told. */
    const changed = async <T>(asked: Promise<T>): Promise<T | null> => {
      try {
        const given = await asked
        await client.invalidateQueries({ queryKey: ['marks', bench().project.id] })
        return given
      } catch (error) {
        sayProblem(error instanceof Error ? error.message : String(error))
        return null
      }
    }
    /** Mean it, and hear a second around it. */
    const choose = (side: Side, tRecS: number): void => {
      useChosenMarks.setState({ [side]: tRecS })
      const at = toRef(bench(), side, tRecS)
      if (at !== null) player.hearAround(at, side)
    }
    return {
      choose,
      /** Mean the next mark of a side after the one that is meant, then the first again. */
      next: (side: Side): void => {
        const marks = marksOf(side)
        const after = useChosenMarks.getState()[side] ?? -1
        const found = marks.find((mark) => mark.t_rec > after) ?? marks[0]
        if (found) choose(side, found.t_rec)
      },
      /** Mark the playhead's moment. */
      put: async (side: Side): Promise<void> => {
        const { id } = bench()[side]
        const at = side === 'reference' ? player.positionS() : toRecording(bench().pieces, player.positionS())
        if (at === null) return sayProblem('The playhead is where this recording has no sound; move it onto the recording first.')
        const body = { t_rec: at, name: '' }
        const path = { params: { path: { recording_id: id } } }
        const mark = await changed(told(api.POST('/api/recordings/{recording_id}/marks', { ...path, body })))
        if (mark) useChosenMarks.setState({ [side]: mark.t_rec })
      },
      name: (markId: string, name: string) =>
        changed(told(api.PATCH('/api/marks/{mark_id}', { params: { path: { mark_id: markId } }, body: { name } }))),
      remove: (markId: string) => changed(told(api.DELETE('/api/marks/{mark_id}', { params: { path: { mark_id: markId } } }))),
      /** Both marks that are meant are one moment: the recording moves. */
      meet: (): void => {
        const { reference, recording } = useChosenMarks.getState()
        if (reference !== null && recording !== null) bench().edit({ kind: 'meet', t_rec: recording, t_ref: reference })
      },
      /** The recording's mark, or its first sound, at the playhead. */
      toPlayhead: (): void => {
        const { recording } = useChosenMarks.getState()
        if (recording !== null) bench().edit({ kind: 'meet', t_rec: recording, t_ref: player.positionS() })
      },
      firstSound: (): void => bench().edit({ kind: 'first-sound', t_ref: player.positionS() }),
    }
  }, [client, store])
}
