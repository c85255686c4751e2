import { Box, Text } from '@chakra-ui/react'
import { useState, type ReactNode } from 'react'
import type { Recording } from '../../api/client'
import { useEditMutation, useEditRecording } from '../../api/useEditRecording'
import { settleWish } from '../../time/moves'
import { clock, signed } from '../../time/times'
import { timeAt } from '../../time/viewport'
import { useDrag } from '../../ui/useDrag'
import { overviewView, useOverviewView } from './overviewView'

interface Props {
  recording: Recording
  children: ReactNode
}

/** A strip that a hand moves: it settles where it sounds alike, unless Alt is held. Escape takes the drag back. */
export function StripDrag({ recording, children }: Props) {
  const [byPx, moveBy] = useState(0)
  // It lies where it was put until it lies where it settled.
  const edit = useEditMutation(() => moveBy(0))
  const drag = useDrag({
    move: (d) => !edit.isPending && moveBy(d.byX),
    end: (d) => {
      if (d.click || edit.isPending) return moveBy(0)
      const { secondsPerPx } = overviewView()
      const byS = d.byX * secondsPerPx
      edit.mutate({ recording, wish: d.alt ? { kind: 'nudge', by_s: byS } : settleWish(byS, secondsPerPx) })
    },
    cancel: () => moveBy(0),
  })
  const byS = byPx * overviewView().secondsPerPx
  return (
    <Box
      position="relative"
      overflow="hidden"
      cursor="ew-resize"
      touchAction="none"
      title="Drag to move it: it settles where it sounds alike, with Alt it lies where you let go"
      data-testid="strip-drag"
      {...drag}
    >
      <Box transform={byPx ? `translateX(${byPx}px)` : undefined}>{children}</Box>
      {byPx !== 0 && (
        <Text
          position="absolute"
          top="1"
          left="1"
          px="1"
          fontSize="xs"
          fontFamily="mono"
          bg="bg.panel"
          rounded="sm"
          pointerEvents="none"
          role="status"
        >
          {edit.isPending ? 'settling …' : `${signed(byS, 3)} s, starts at ${clock((recording.map?.offset_s ?? 0) + byS, 3)}`}
        </Text>
      )}
    </Box>
  )
}

/** Where a recording without a place can be set down. */
export function SetDown({ recording }: Omit<Props, 'children'>) {
  const [atPx, hover] = useState<number | null>(null)
  const edit = useEditRecording()
  const view = useOverviewView((s) => s.view)
  const widthPx = (recording.media.duration_s ?? 0) / view.secondsPerPx
  return (
    <Box
      h="38px"
      position="relative"
      overflow="hidden"
      cursor="copy"
      title="Click to set it down here; then drag it, or work on it as on any other"
      data-testid="set-down"
      onPointerMove={(event) => hover(event.clientX - event.currentTarget.getBoundingClientRect().left)}
      onPointerLeave={() => hover(null)}
      onClick={(event) =>
        edit(recording, { kind: 'move', offset_s: timeAt(view, event.clientX - event.currentTarget.getBoundingClientRect().left) })
      }
    >
      {atPx !== null && (
        <>
          <Box
            position="absolute"
            top="6px"
            bottom="6px"
            left={`${atPx}px`}
            w={`${Math.max(widthPx, 2)}px`}
            borderWidth="1px"
            borderStyle="dashed"
            borderColor="border.emphasized"
            bg="bg.subtle"
            pointerEvents="none"
          />
          <Text
            position="absolute"
            top="10px"
            left={`${atPx + 6}px`}
            fontSize="xs"
            color="fg.muted"
            whiteSpace="nowrap"
            pointerEvents="none"
          >
            set it down at {clock(timeAt(view, atPx), 1)}
          </Text>
        </>
      )}
    </Box>
  )
}
