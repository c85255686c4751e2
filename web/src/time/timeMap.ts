import type { Pieces } from '../api/client'

/** Where a moment of the reference lies in a recording, by its pieces of knots `[tRef, tRec]`; null outside. */
export function toRecording(pieces: Pieces, tRefS: number): number | null {
  for (let p = pieces.length - 1; p >= 0; p--) {
    const knots = pieces[p]!
    if (tRefS < knots[0]![0]! || tRefS > knots[knots.length - 1]![0]!) continue
    return along(knots, tRefS)
  }
  return null
}

/** Where a moment of the recording lies on the reference, inverse of `toRecording`; null outside. */
export function toReference(pieces: Pieces, tRecS: number): number | null {
  for (const knots of pieces) {
    if (tRecS < knots[0]![1]! || tRecS > knots[knots.length - 1]![1]!) continue
    let [low, high] = [1, knots.length - 1]
    while (low < high) {
      const middle = (low + high) >> 1
      if (knots[middle]![1]! < tRecS) low = middle + 1
      else high = middle
    }
    const [ref0, rec0] = knots[low - 1]! as [number, number]
    const [ref1, rec1] = knots[low]! as [number, number]
    return ref0 + ((tRecS - rec0) * (ref1 - ref0)) / (rec1 - rec0)
  }
  return null
}

/** Recording time along one piece; beyond its ends it runs on straight. */
export function along(knots: number[][], tRefS: number): number {
  const k = knotAfter(knots, tRefS)
  const [ref0, rec0] = knots[k - 1]! as [number, number]
  const [ref1, rec1] = knots[k]! as [number, number]
  return rec0 + ((tRefS - ref0) * (rec1 - rec0)) / (ref1 - ref0)
}

/** The first knot, but for the very first, that does not lie before a moment, or the last; by bisection. */
export function knotAfter(knots: number[][], tRefS: number): number {
  let [low, high] = [1, knots.length - 1]
  while (low < high) {
    const middle = (low + high) >> 1
    if (knots[middle]![0]! < tRefS) low = middle + 1
    else high = middle
  }
  return low
}

export const shifted = (pieces: Pieces, byS: number): Pieces =>
  byS === 0 ? pieces : pieces.map((knots) => knots.map(([ref, rec]) => [ref! + byS, rec!]))

export const identity = (durationS: number): Pieces => [
  [
    [0, 0],
    [durationS, durationS],
  ],
]
