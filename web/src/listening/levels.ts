import type { Track } from './fetchSound'
import type { Segment } from './owed'
import { levelOf, turnsOf, type Turn, type Way } from './ways'

/** A gain is at its new value, near enough, after a few times this: no gap, no click. */
export const SMOOTH_S = 0.004

interface Output {
  gain: GainNode
  pan: StereoPannerNode
}

/** How loud and where each track is heard, by the way of hearing; one gain and one place for each. */
export class Levels {
  private outputs = new Map<string, Output>()

  /** Where the sound of a track goes. */
  outputOf(context: AudioContext, track: Track): Output {
    let output = this.outputs.get(track.recordingId)
    if (!output || output.gain.context !== context) {
      output = { gain: new GainNode(context), pan: new StereoPannerNode(context) }
      output.gain.connect(output.pan).connect(context.destination)
      this.outputs.set(track.recordingId, output)
    }
    return output
  }

  /** From now on; `taken`: what the recording is multiplied by before it is taken from the reference. */
  apply(context: AudioContext, tracks: readonly Track[], way: Way, taken: number): void {
    const now = context.currentTime
    for (const track of tracks) {
      const { gain, pan } = this.outputOf(context, track)
      const isRef = track.role === 'reference'
      gain.gain.cancelScheduledValues(now)
      const level = levelOf(way, isRef, tracks.length, taken) * (track.level ?? 1)
      if (way !== 'turns') gain.gain.setTargetAtTime(level, now, SMOOTH_S)
      pan.pan.setTargetAtTime(way === 'ears' ? (isRef ? -1 : 1) : (track.position ?? 0), now, SMOOTH_S)
    }
  }

  /** Who is heard when, from now to the end of a segment, where both are heard in turns: the reference in even ones. */
  takeTurns(context: AudioContext, tracks: readonly Track[], { when, first, samples }: Segment, rate: number, turn: Turn): void {
    const fromS = first / rate
    for (const { beginS, endS, isRef } of turnsOf(fromS, (first + samples) / rate, turn)) {
      if (when + endS - fromS <= context.currentTime) continue
      const at = Math.max(when + beginS - fromS, context.currentTime)
      for (const track of tracks)
        this.outputOf(context, track).gain.gain.setTargetAtTime(
          (track.role === 'reference') === isRef ? (track.level ?? 1) : 0,
          at,
          SMOOTH_S,
        )
    }
  }
}
