import { SMOOTH_S } from './levels'

const FADED_S = 8 * SMOOTH_S

interface Voice {
  source: AudioBufferSourceNode
  /** What is replaced fades out while what replaces it fades in. */
  fade: GainNode
  end: number
}

/** Chunks of sound that are scheduled on the audio clock, by what they belong to. */
export class Voices {
  private voices = new Map<string, Voice[]>()

  /** Have a chunk heard at a moment of the audio clock, s, without its first samples; its fade is the caller's. */
  schedule(output: GainNode, of: string, buffer: AudioBuffer, when: number, skip = 0): GainNode {
    const { context } = output
    const source = new AudioBufferSourceNode(context, { buffer })
    const fade = new GainNode(context)
    source.connect(fade).connect(output)
    source.start(when, skip / buffer.sampleRate)
    const voices = (this.voices.get(of) ?? []).filter((v) => v.end > context.currentTime)
    voices.push({ source, fade, end: when + (buffer.length - skip) / buffer.sampleRate })
    this.voices.set(of, voices)
    return fade
  }

  /** What would still be heard of it after that moment fades then. */
  fadeOut(of: string, from: number): void {
    for (const voice of this.voices.get(of) ?? [])
      if (voice.end > from) {
        voice.fade.gain.setTargetAtTime(0, from, SMOOTH_S)
        voice.source.stop(from + FADED_S)
      }
  }

  stop(): void {
    for (const voices of this.voices.values()) for (const voice of voices) voice.source.stop()
    this.voices.clear()
  }
}
