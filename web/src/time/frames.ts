/** Frames of a picture by the time of its file: frame n is seen from `startS + n / rate` on, or from `timesS[n]` on. */
export interface Frames {
  startS: number
  /** Frames a second, in the mean. */
  rate: number
  /** When each begins, s, where they are not even; null where they are, or while that is not known. */
  timesS: Float64Array | null
}

/** A moment that lies on a frame's edge belongs to the frame that begins there; sums of thirds are not exact. */
const EDGE = 1e-6

/** A rate as the server writes it: a whole number or a fraction. */
export function rateFrom(text: string | null): number {
  const [above, below = '1'] = (text ?? '').split('/')
  const rate = Number(above) / Number(below)
  return Number.isFinite(rate) && rate > 0 ? rate : 25
}

/** The number of the frame that is seen then; before the first one -1 or less. */
export function frameAt({ startS, rate, timesS }: Frames, tS: number): number {
  if (!timesS) return Math.floor((tS - startS) * rate + EDGE)
  let [low, high] = [0, timesS.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if (timesS[middle]! <= tS + EDGE) low = middle + 1
    else high = middle
  }
  return low - 1
}

export function startOf({ startS, rate, timesS }: Frames, frame: number): number {
  if (!timesS) return startS + frame / rate
  // Beyond either end as if it went on evenly.
  const known = Math.min(Math.max(frame, 0), timesS.length - 1)
  return timesS[known]! + (frame - known) / rate
}

/** Far from either edge: a player that is sent there shows this frame and no other. */
export const middleOf = (frames: Frames, frame: number): number => (startOf(frames, frame) + startOf(frames, frame + 1)) / 2
