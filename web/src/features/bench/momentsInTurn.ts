import { around } from '../../listening/loops'
import { player, usePlayer } from '../../listening/player'

/** What is heard around each of the loupes' moments, on either side. */
const HALF_S = 0.75

/** Start, middle and end one after the other, again and again: drift is heard at once. Again: it plays on. */
export function hearMomentsInTurn(momentsS: readonly number[]): void {
  const { loop } = usePlayer.getState()
  if (loop.length > 1) return player.setLoop([])
  if (momentsS.length < 2) return
  player.setLoop(around(momentsS, HALF_S))
  if (!usePlayer.getState().playing) player.hear(momentsS[0]! - HALF_S)
}
