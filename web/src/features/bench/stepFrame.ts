import { player, usePlayer } from '../../listening/player'
import { framesOf } from '../../seeing/framesOf'
import { frameAt, startOf } from '../../time/frames'
import { identity, toRecording, toReference } from '../../time/timeMap'
import { sayProblem } from '../../ui/problems'
import type { Bench } from './benchStore'
import { hasOtherPicture, hasOwnPicture } from './pictureSize'

/** One frame on or back, of the recording's picture or, where it has none, of the reference's, with its sound. */
export function stepFrame(bench: Bench, by: 1 | -1): void {
  const { recording, reference, pieces } = bench
  const own = hasOwnPicture(bench)
  if (!own && !hasOtherPicture(bench)) return sayProblem('Neither the recording nor the reference has a picture.')
  const [shown, map] = own ? [recording, pieces] : [reference, identity(reference.media.duration_s ?? 0)]
  const frames = framesOf(shown)
  const tS = toRecording(map, player.positionS())
  if (tS === null) return sayProblem('There is no picture at this moment.')
  const frame = frameAt(frames, tS) + by
  const [from, to] = [toReference(map, startOf(frames, frame)), toReference(map, startOf(frames, frame + 1))]
  if (from === null || to === null) return
  player.hearOnce(from, to, from, usePlayer.getState().way)
}
