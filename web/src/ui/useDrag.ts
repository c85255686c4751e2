import { useEffect, useRef, type PointerEvent } from 'react'

export interface Drag {
  startX: number
  startY: number
  byX: number
  byY: number
  /** Nothing was moved: a click. */
  click: boolean
  /** Alt is held: what is dragged lies where it is let go of, and settles on nothing. */
  alt: boolean
}

const CLICK_PX = 3

/** Pointer drags on an element, in CSS pixels of the element; the pointer is captured, Escape takes the drag back. */
export function useDrag(on: { move: (drag: Drag) => void; end: (drag: Drag) => void; cancel: () => void }) {
  const start = useRef<{ x: number; y: number; moved: boolean } | null>(null)
  const stopListening = useRef(() => {})
  const latest = useRef(on)
  latest.current = on
  const drop = (): void => {
    if (start.current) latest.current.cancel()
    start.current = null
    stopListening.current()
  }
  useEffect(() => () => stopListening.current(), [])
  const at = (event: PointerEvent<HTMLElement>): { x: number; y: number } => {
    const box = event.currentTarget.getBoundingClientRect()
    return { x: event.clientX - box.left, y: event.clientY - box.top }
  }
  const dragOf = (event: PointerEvent<HTMLElement>): Drag | null => {
    const from = start.current
    if (!from) return null
    const [byX, byY] = [at(event).x - from.x, at(event).y - from.y]
    from.moved ||= Math.hypot(byX, byY) > CLICK_PX
    return { startX: from.x, startY: from.y, byX, byY, click: !from.moved, alt: event.altKey }
  }
  return {
    onPointerDown: (event: PointerEvent<HTMLElement>) => {
      if (event.button !== 0) return
      event.currentTarget.setPointerCapture(event.pointerId)
      start.current = { ...at(event), moved: false }
      // Before the page hears it: the drag is the innermost thing that Escape can take back.
      const onEscape = (pressed: KeyboardEvent): void => {
        if (pressed.key !== 'Escape') return
        pressed.stopImmediatePropagation()
        pressed.preventDefault()
        drop()
      }
      stopListening.current()
      window.addEventListener('keydown', onEscape, true)
      stopListening.current = () => window.removeEventListener('keydown', onEscape, true)
    },
    onPointerMove: (event: PointerEvent<HTMLElement>) => {
      const drag = dragOf(event)
      if (drag && !drag.click) on.move(drag)
    },
    onPointerUp: (event: PointerEvent<HTMLElement>) => {
      const drag = dragOf(event)
      start.current = null
      stopListening.current()
      if (drag) on.end(drag)
    },
    onPointerCancel: drop,
  }
}
