import { useQuery } from '@tanstack/react-query'
import { useCallback } from 'react'
import type { Mark, Recording, Window } from '../../api/client'
import { marksOptions, proofWindowsOptions, usePieces } from '../../api/queries'
import { drawStrip } from '../../drawing/strip'
import type { Viewport } from '../../time/viewport'
import { useCanvas, type Size } from '../../ui/useCanvas'
import { usePalette } from '../../ui/usePalette'

interface Props {
  recording: Recording
  view: Viewport
  isReference: boolean
  heightPx: number
}

const NONE: readonly Window[] = []
const NO_MARKS: readonly Mark[] = []

export function Strip({ recording, view, isReference, heightPx }: Props) {
  const palette = usePalette()
  const pieces = usePieces(recording.id, isReference ? null : recording.map)
  const proofOf = isReference ? undefined : recording.proof?.map_id
  const { data: proof } = useQuery({ ...proofWindowsOptions(recording.id, proofOf ?? ''), enabled: proofOf !== undefined })
  const windows = proof?.windows ?? NONE
  const { data: all } = useQuery(marksOptions(recording.project_id))
  const marks = all?.get(recording.id) ?? NO_MARKS
  const draw = useCallback(
    (ctx: CanvasRenderingContext2D, size: Size) =>
      drawStrip(ctx, { recording, view, ...size, isReference, unsure: recording.status === 'unsure', pieces, windows, marks, palette }),
    [recording, view, isReference, pieces, windows, marks, palette],
  )
  const ref = useCanvas(draw)
  return <canvas ref={ref} style={{ width: '100%', height: heightPx }} aria-hidden />
}
