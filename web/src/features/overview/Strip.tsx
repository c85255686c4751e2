import { useCallback } from 'react'
import type { Recording } from '../../api/client'
import { color } from '../../ui/theme'
import { useCanvas } from '../../ui/useCanvas'
import type { Viewport } from '../../time/viewport'
import { drawStrip } from './layers/strip'

interface Props {
  recording: Recording
  view: Viewport
  isReference: boolean
  heightPx: number
}

export function Strip({ recording, view, isReference, heightPx }: Props) {
  const draw = useCallback(
    (ctx: CanvasRenderingContext2D, size: { widthPx: number; heightPx: number }) =>
      drawStrip(ctx, {
        recording,
        view,
        ...size,
        isReference,
        unsure: recording.status === 'unsure',
        colors: {
          wave: color(isReference ? 'slate' : 'rust'),
          sheet: color(isReference ? 'sheet' : 'sunken'),
          agree: color('moss'),
          differ: color('ochre-soft'),
          line: color('line'),
          left: color('paper'),
        },
      }),
    [recording, view, isReference],
  )
  const ref = useCanvas(draw)
  return <canvas ref={ref} style={{ width: '100%', height: heightPx }} aria-hidden />
}
