/** Frames of a picture by the time of its file, s: frame n is seen from `startS + n / rate` on. */
export interface Frames {
  startS: number
  /** Frames a second. */
  rate: number
}

/** A moment that lies on a frame's edge belongs to the frame that begins there; sums of thirds are not exact. */
const EDGE = 1e-6

/** A rate as the server writes it: a whole number or a fraction. */
export function rateFrom(text: string | null): number {
  const [above, below = '1'] = (text ?? '').split('/')
  const rate = Number(above) / Number(below)
  return Number.isFinite(rate) && rate > 0 ? rate : 25
}

export const frameAt = ({ startS, rate }: Frames, tS: number): number => Math.floor((tS - startS) * rate + EDGE)
export const startOf = ({ startS, rate }: Frames, frame: number): number => startS + frame / rate
/** Far from either edge: a player that is sent there shows this frame and no other. */
export const middleOf = (frames: Frames, frame: number): number => startOf(frames, frame + 0.5)
