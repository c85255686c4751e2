import { Box, Flex, Text } from '@chakra-ui/react'
import { memo, useCallback, useRef, useState } from 'react'
import type { Bend } from '../../api/client'
import { clock, signed } from '../../time/times'
import { useCanvas, type Size } from '../../ui/useCanvas'
import { useDrag, type Drag } from '../../ui/useDrag'
import { usePalette } from '../../ui/usePalette'
import { player } from '../../listening/player'
import { timeAt } from '../../time/viewport'
import { bendScale, drawBendTrace, lateAt, tieAt } from '../../drawing/bendTrace'
import { settledBy } from '../../drawing/ties'
import { useBench, viewOf } from './benchStore'
import { SETTLES_PX, useReferenceMoments } from './suggested'
import { useBendView } from './useBend'
import { TraceKinds } from './TraceKinds'
import { useTies } from './useTies'

const NEAR_PX = 10
/** The waves as they are heard, or where they would lie unbent. */
const SHOWN = { left: 'as bent', recorded: 'as performed' }
/** What is heard of a moment begins this much before it, s. */
const BEFORE_S = 0.4

/** Each tie as a dot: how late (above) or early (below) it is performed, and what of that is taken away. */
export const BendTrace = memo(function BendTrace({ bend }: { bend: Bend }) {
  const view = useBench(viewOf)
  const edit = useBench((s) => s.edit)
  const chosen = useBendView((s) => s.tie)
  const movedS = useBendView((s) => s.nudgedS + s.landingS)
  const { choose } = useTies()
  const palette = usePalette()
  const [held, setDragged] = useState<{ index: number; lateMs: number } | null>(null)
  const pressed =
    chosen !== null && movedS && bend.ties[chosen] ? { index: chosen, lateMs: bend.ties[chosen].late_ms - movedS * 1000 } : null
  const dragged = held ?? pressed
  const widthPx = useBench((s) => s.widthPx)
  const scale = bendScale(bend.ties, view.startS, timeAt(view, widthPx))
  const draw = useCallback(
    (ctx: CanvasRenderingContext2D, size: Size) => drawBendTrace(ctx, { ...size, view, bend, scale, chosen, dragged, palette }),
    [view, bend, scale, chosen, dragged, palette],
  )
  const canvas = useCanvas(draw)
  const grip = useRef<number | null>(null)
  const heightPx = (): number => canvas.current?.clientHeight ?? 1
  const at = (x: number, y: number): number | null => tieAt({ view, heightPx: heightPx(), scale, bend }, x, y, NEAR_PX)
  const moments = useReferenceMoments()
  /** How late a tie is performed where it is dragged: it settles on what begins or ends there, unless Alt is held. */
  const draggedTo = (tie: Bend['ties'][number], d: Drag): number => {
    const secondsPerPx = (lateAt(0, heightPx(), scale) - lateAt(1, heightPx(), scale)) / 1000
    const byS = d.byY * secondsPerPx
    return tie.late_ms - 1000 * (d.alt ? byS : settledBy(tie.t_ref, byS, moments, SETTLES_PX * secondsPerPx))
  }
  const drag = useDrag({
    move: (d) => {
      grip.current ??= at(d.startX, d.startY) ?? -1
      const tie = bend.ties[grip.current]
      if (tie) setDragged({ index: grip.current, lateMs: draggedTo(tie, d) })
    },
    end: (d) => {
      const index = grip.current
      grip.current = null
      setDragged(null)
      if (d.click) {
        const here = at(d.startX, d.startY)
        choose(here)
        player.hear((here === null ? timeAt(view, d.startX) : bend.ties[here]!.lies_s) - BEFORE_S)
        return
      }
      const tie = index === null ? undefined : bend.ties[index]
      if (!tie || index === null) return
      const lateMs = draggedTo(tie, d)
      choose(index)
      useBendView.setState({ landingS: (tie.late_ms - lateMs) / 1000 })
      edit({ kind: 'tie', index, t_rec: tie.t_rec, t_ref: tie.t_rec + bend.offset_s - lateMs / 1000 })
    },
    cancel: () => {
      grip.current = null
      setDragged(null)
    },
  })
  const tie = dragged ? bend.ties[dragged.index] : chosen === null ? undefined : bend.ties[chosen]
  const followed = bend.ties.filter((one) => one.followed).length
  return (
    <Box flex={{ base: 'none', md: '1' }} h={{ base: '180px', md: 'auto' }} minH="110px" maxH="400px" display="flex" flexDirection="column">
      <Flex fontSize="xs" color="fg.muted" mb="1" gap="2">
        <Text whiteSpace="nowrap">Timing of the performance, shown</Text>
        <TraceKinds labels={SHOWN} />
        <Text flex="1" truncate>
          — dots: ties, by certainty; rings: not followed; line: what is taken away; strip: how far it is bent. Drag a dot.
        </Text>
        <Text fontFamily="mono" whiteSpace="nowrap" data-testid="trace-moment">
          {tie && `${clock(tie.t_ref, 2)}  ${signed(dragged?.lateMs ?? tie.late_ms, 1)} ms`}
        </Text>
      </Flex>
      <Box flex="1" minH="0" bg="bg.panel">
        <canvas
          ref={canvas}
          {...drag}
          style={{ width: '100%', height: '100%', cursor: 'pointer', touchAction: 'none' }}
          role="img"
          data-scale-ms={scale}
          aria-label={`${followed} of ${bend.ties.length} ties are followed`}
        />
      </Box>
    </Box>
  )
})
