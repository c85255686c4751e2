import type { EditWish, Pieces } from '../api/client'
import { along, shifted } from './timeMap'

/** What a hand does to a map while it drags, and what is asked of the server when it lets go. Times in s. */
export type Move =
  | { kind: 'shift'; byS: number }
  | { kind: 'stretch'; holdS: number; atS: number; byS: number }
  | { kind: 'slide'; index: number; byS: number }
  | { kind: 'trim'; index: number; edge: 'start' | 'end'; tRefS: number }

/** The map as it is drawn during a drag; the server's answer replaces it. */
export function moved(pieces: Pieces, move: Move | null): Pieces {
  switch (move?.kind) {
    case undefined:
      return pieces
    case 'shift':
      return shifted(pieces, move.byS)
    case 'stretch': {
      const factor = 1 + move.byS / (move.atS - move.holdS)
      return pieces.map((knots) => knots.map(([ref, rec]) => [move.holdS + (ref! - move.holdS) * factor, rec!]))
    }
    case 'slide':
      return pieces.map((knots, i) => (i === move.index ? shifted([knots], move.byS)[0]! : knots))
    case 'trim':
      return pieces.map((knots, i) => (i === move.index ? trimmed(knots, move.edge, move.tRefS) : knots))
  }
}

function trimmed(knots: number[][], edge: 'start' | 'end', tRefS: number): number[][] {
  const knot = [tRefS, along(knots, tRefS)]
  return edge === 'start'
    ? [knot, ...knots.slice(1).filter(([ref]) => ref! > tRefS)]
    : [...knots.slice(0, -1).filter(([ref]) => ref! < tRefS), knot]
}

/** So near to where a hand lets go what sounds alike is meant, CSS pixels; and no further than the server goes, s. */
const SETTLE_PX = 10
const MOST_SETTLE_S = 10

/** Move by a drag, and settle where it sounds alike near by. */
export const settleWish = (byS: number, secondsPerPx: number): EditWish => ({
  kind: 'settle',
  by_s: byS,
  reach_s: Math.min(SETTLE_PX * secondsPerPx, MOST_SETTLE_S),
})

export function wishOf(move: Move): EditWish {
  switch (move.kind) {
    case 'shift':
      return { kind: 'nudge', by_s: move.byS }
    case 'stretch':
      return { kind: 'stretch', hold_s: move.holdS, at_s: move.atS, by_s: move.byS }
    case 'slide':
      return { kind: 'slide', index: move.index, by_s: move.byS }
    case 'trim':
      return { kind: 'trim', index: move.index, edge: move.edge, t_ref: move.tRefS }
  }
}

/** The piece, and perhaps its edge, within reach of a moment; the later one where two overlap, as it is the one heard. */
export function pieceAt(pieces: Pieces, tRefS: number, reachS: number): { index: number; edge: 'start' | 'end' | null } | null {
  let inside: { index: number; edge: 'start' | 'end' | null } | null = null
  for (let index = pieces.length - 1; index >= 0; index--) {
    const [start, end] = [pieces[index]![0]![0]!, pieces[index]!.at(-1)![0]!]
    // Within the piece its own edge is meant; outside, the nearest one.
    if (tRefS >= start && tRefS <= end && !inside) {
      const edge = tRefS - start < reachS ? 'start' : end - tRefS < reachS ? 'end' : null
      inside = { index, edge: end - start > 3 * reachS ? edge : null }
    }
  }
  if (inside) return inside
  for (let index = 0; index < pieces.length; index++) {
    const [start, end] = [pieces[index]![0]![0]!, pieces[index]!.at(-1)![0]!]
    if (Math.abs(tRefS - start) < reachS) return { index, edge: 'start' }
    if (Math.abs(tRefS - end) < reachS) return { index, edge: 'end' }
  }
  return null
}
