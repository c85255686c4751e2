/** A stretch of reference time on the screen; every map has its inverse. Times in s, lengths in CSS pixels. */
export interface Viewport {
  startS: number
  secondsPerPx: number
}

/** A tenth of a sample at 48 kHz for each pixel: nothing finer can be seen. */
const FINEST_S_PER_PX = 0.1 / 48000

export const xOf = (view: Viewport, tRefS: number): number => (tRefS - view.startS) / view.secondsPerPx
export const timeAt = (view: Viewport, xPx: number): number => view.startS + xPx * view.secondsPerPx

export const showing = (startS: number, endS: number, widthPx: number): Viewport => ({
  startS,
  secondsPerPx: Math.max((endS - startS) / Math.max(widthPx, 1), FINEST_S_PER_PX),
})

/** Zoom by a factor (below 1: closer) while the time under `xPx` stays where it is. */
export function zoomed(view: Viewport, xPx: number, factor: number, coarsestSPerPx: number): Viewport {
  const secondsPerPx = Math.min(Math.max(view.secondsPerPx * factor, FINEST_S_PER_PX), coarsestSPerPx)
  return { startS: timeAt(view, xPx) - xPx * secondsPerPx, secondsPerPx }
}

/** Zoom about a moment where that is in sight, else about the middle. */
export function zoomedAbout(view: Viewport, atS: number | null, widthPx: number, factor: number, coarsestSPerPx: number): Viewport {
  const x = atS === null ? -1 : xOf(view, atS)
  return zoomed(view, x >= 0 && x <= widthPx ? x : widthPx / 2, factor, coarsestSPerPx)
}

export const panned = (view: Viewport, byPx: number): Viewport => ({ ...view, startS: view.startS + byPx * view.secondsPerPx })

/** Round steps for an axis, about `apartPx` apart. */
export function ticks(view: Viewport, widthPx: number, apartPx = 110): { stepS: number; timesS: number[] } {
  const wanted = view.secondsPerPx * apartPx
  const steps = [
    1e-5, 2e-5, 5e-5, 1e-4, 2e-4, 5e-4, 1e-3, 2e-3, 5e-3, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900,
    1800, 3600,
  ]
  const stepS = steps.find((step) => step >= wanted) ?? 7200
  const timesS: number[] = []
  for (let i = Math.ceil(view.startS / stepS); i * stepS <= timeAt(view, widthPx); i++) timesS.push(i * stepS)
  return { stepS, timesS }
}
