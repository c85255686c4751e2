/** What was pressed or typed at last: a sentence about what it led to belongs beside it. */

export interface Spot {
  x: number
  top: number
  bottom: number
}

/** An answer that takes longer is read by whoever has gone on elsewhere. */
const STILL_THERE_MS = 10_000

let last: { spot: () => Spot | null; atMs: number } | null = null

/** The middle of an element, its upper and its lower edge in the window; null where it is gone. */
export function spotOf(element: Element): Spot | null {
  if (!element.isConnected || element === document.body) return null
  const { left, width, top, bottom } = element.getBoundingClientRect()
  return { x: left + width / 2, top, bottom }
}

/** Where the hand was last, unless that was too long ago. */
export const lastTouch = (): Spot | null => (last && performance.now() - last.atMs < STILL_THERE_MS ? last.spot() : null)

/** Watch the page from now on. */
export function watchTouches(): void {
  document.addEventListener(
    'pointerup',
    ({ clientX: x, clientY: y }) => (last = { spot: () => ({ x, top: y - 12, bottom: y + 12 }), atMs: performance.now() }),
    true,
  )
  document.addEventListener(
    'keydown',
    ({ target }) => target instanceof Element && (last = { spot: () => spotOf(target), atMs: performance.now() }),
    true,
  )
}
