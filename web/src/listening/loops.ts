import type { Range } from './playerState'

/** Nearer to the end of a stretch than this it is as good as over, s. */
const END_S = 0.01

/** Which of the stretches that are repeated one after the other holds a moment, and where in it to begin. */
export function enter(loop: readonly Range[], positionS: number): { turn: number; fromS: number } | null {
  if (!loop.length) return null
  const turn = loop.findIndex((one) => positionS >= one.startS && positionS < one.endS - END_S)
  return turn < 0 ? { turn: 0, fromS: loop[0]!.startS } : { turn, fromS: positionS }
}

/** A stretch around each of some moments, none before the beginning. */
export const around = (momentsS: readonly number[], halfS: number): Range[] =>
  momentsS.map((one) => ({ startS: Math.max(0, one - halfS), endS: one + halfS }))
