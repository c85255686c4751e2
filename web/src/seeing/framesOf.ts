import type { Recording } from '../api/client'
import { rateFrom, type Frames } from '../time/frames'

const known = new Map<string, Frames>()

/** The frames of a recording's picture. Those that are not even are told so once their times have come. */
export function framesOf({ media }: Recording): Frames {
  let frames = known.get(media.content_hash)
  if (!frames)
    known.set(media.content_hash, (frames = { startS: media.picture_start_s ?? 0, rate: rateFrom(media.frame_rate), timesS: null }))
  return frames
}

/** Ask when each frame begins; even ones are where their rate has them. */
export async function fetchFrameTimes(recording: Recording): Promise<void> {
  const answer = await fetch(`/api/recordings/${recording.id}/frame-times`)
  // Without them it is stepped by the mean.
  if (!answer.ok) return
  const times = new Float64Array(await answer.arrayBuffer())
  if (times.length) framesOf(recording).timesS = times
}
