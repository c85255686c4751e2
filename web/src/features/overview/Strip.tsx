import { useQuery } from '@tanstack/react-query'
import { useCallback } from 'react'
import type { Recording, Window } from '../../api/client'
import { proofWindowsOptions, useMarksOf, usePieces } from '../../api/queries'
import { drawStrip } from '../../drawing/strip'
import { useCanvas, type Size } from '../../ui/useCanvas'
import { usePalette } from '../../ui/usePalette'
import { onOverviewView, overviewView } from './overviewView'

interface Props {
  recording: Recording
  isReference: boolean
  heightPx: number
}

const NONE: readonly Window[] = []

export function Strip({ recording, isReference, heightPx }: Props) {
  const palette = usePalette()
  const pieces = usePieces(recording.id, isReference ? null : recording.map)
  const proofOf = isReference ? undefined : recording.proof?.map_id
  const { data: proof } = useQuery({ ...proofWindowsOptions(recording.id, proofOf ?? ''), enabled: proofOf !== undefined })
  const windows = proof?.windows ?? NONE
  const marks = useMarksOf(recording)
  const draw = useCallback(
    (ctx: CanvasRenderingContext2D, size: Size) =>
      drawStrip(ctx, {
        recording,
        view: overviewView(),
        ...size,
        isReference,
        unsure: recording.status === 'unsure',
        pieces,
        windows,
        marks,
        palette,
      }),
    [recording, isReference, pieces, windows, marks, palette],
  )
  const ref = useCanvas(draw, onOverviewView)
  return <canvas ref={ref} style={{ width: '100%', height: heightPx }} aria-hidden />
}
