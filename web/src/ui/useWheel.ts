import { useEffect, type RefObject } from 'react'
import { panned, zoomed, type Viewport } from '../time/viewport'

const ZOOM_PER_WHEEL = 1.0018

export interface Wheel {
  setView: (change: (view: Viewport) => Viewport) => void
  coarsest: number
  /** Whether a turn without any key zooms; where it does not, it scrolls the page, and zooms with Ctrl or Alt. */
  zooms: boolean
  /** Where x is 0; the element itself unless given. */
  origin?: RefObject<HTMLElement | null>
}

/** The wheel over a stretch of time: up and down zooms at the pointer, sideways or with Shift pans. */
export function useWheel(ref: RefObject<HTMLElement | null>, { setView, coarsest, zooms, origin = ref }: Wheel): void {
  // A wheel listener that may prevent the page's own scrolling must not be passive, which React's are.
  useEffect(() => {
    const element = ref.current
    if (!element) return
    // Wheels turn more often than frames are drawn: what comes within a frame is one change of the view.
    let frame = 0
    let [panPx, zoomPx, atPx] = [0, 0, 0]
    const apply = (): void => {
      const [byPx, wheel, x] = [panPx, zoomPx, atPx]
      ;[frame, panPx, zoomPx] = [0, 0, 0]
      setView((v) => panned(zoomed(v, x, ZOOM_PER_WHEEL ** wheel, coarsest), byPx))
    }
    const onWheel = (event: WheelEvent): void => {
      const sideways = event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)
      if (!sideways && !zooms && !event.ctrlKey && !event.altKey) return
      event.preventDefault()
      atPx = event.clientX - (origin.current ?? element).getBoundingClientRect().left
      if (sideways) panPx += event.deltaX || event.deltaY
      else zoomPx += event.deltaY
      frame ||= requestAnimationFrame(apply)
    }
    element.addEventListener('wheel', onWheel, { passive: false })
    return () => {
      element.removeEventListener('wheel', onWheel)
      if (frame) cancelAnimationFrame(frame)
    }
  }, [ref, setView, coarsest, zooms, origin])
}
