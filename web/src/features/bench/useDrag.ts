import { useRef, type PointerEvent } from 'react'

export interface Drag {
  startX: number
  startY: number
  byX: number
  byY: number
  /** Nothing was moved: a click. */
  click: boolean
}

const CLICK_PX = 3

/** Pointer drags on an element, in CSS pixels of the element; the pointer is captured, Escape is left to the page. */
export function useDrag(on: { move: (drag: Drag) => void; end: (drag: Drag) => void }) {
  const start = useRef<{ x: number; y: number; moved: boolean } | null>(null)
  const at = (event: PointerEvent<HTMLElement>): { x: number; y: number } => {
    const box = event.currentTarget.getBoundingClientRect()
    return { x: event.clientX - box.left, y: event.clientY - box.top }
  }
  const dragOf = (event: PointerEvent<HTMLElement>): Drag | null => {
    const from = start.current
    if (!from) return null
    const [byX, byY] = [at(event).x - from.x, at(event).y - from.y]
    from.moved ||= Math.hypot(byX, byY) > CLICK_PX
    return { startX: from.x, startY: from.y, byX, byY, click: !from.moved }
  }
  return {
    onPointerDown: (event: PointerEvent<HTMLElement>) => {
      if (event.button !== 0) return
      event.currentTarget.setPointerCapture(event.pointerId)
      start.current = { ...at(event), moved: false }
    },
    onPointerMove: (event: PointerEvent<HTMLElement>) => {
      const drag = dragOf(event)
      if (drag && !drag.click) on.move(drag)
    },
    onPointerUp: (event: PointerEvent<HTMLElement>) => {
      const drag = dragOf(event)
      start.current = null
      if (drag) on.end(drag)
    },
    onPointerCancel: () => {
      start.current = null
    },
  }
}
