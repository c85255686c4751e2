import { fetchSound, type Track } from './fetchSound'
import { Levels, SMOOTH_S } from './levels'
import { enter } from './loops'
import { owedFrom, type Segment } from './owed'
import { TURN_KEY, usePlayer, WAY_KEY, type Range } from './playerState'
import { Voices } from './voices'
import type { Turn, Way } from './ways'

/**
 * Sample-accurate playback: chunks come from the server in reference time, already mapped, and are scheduled on one
 * audio clock at whole samples. Fractions and rates are the server's business: the browser's own would dull or drift.
 */

export { usePlayer }
export type { Range }

const FIRST_S = 0.35
/** So long fades what ends or begins where playing jumps. */
const JUMP_S = 0.003
/** What is heard on either side of a moment. */
const AROUND_S = 0.5
const CHUNK_S = 2
const AHEAD_S = 5
/** Time to fetch the first chunks before the clock starts. */
const LEAD_S = 0.06
/** A changed track is asked for from this much ahead, beginning with a short stretch: it is heard as soon as it is there. */
const SWAP_S = 0.03
const HEAD_S = 0.45

class Player {
  private context: AudioContext | null = null
  private rate = 48000
  private tracks: Track[] = []
  private levels = new Levels()
  private voices = new Voices()
  private segments: Segment[] = []
  private run = 0
  private lengthS = 0
  /** What the recording is multiplied by before it is taken from the reference. */
  private taken = 1
  /** A moment that is heard once, in one way whatever is chosen, and where to go back to after it. */
  private once: { endS: number; backS: number; way: Way } | null = null

  /** What may be heard; a changed version of a playing track is swapped in at once. */
  setTracks(tracks: Track[], rate: number, lengthS: number): void {
    this.lengthS = lengthS
    const before = this.tracks
    this.tracks = tracks
    if (rate !== this.rate) {
      this.stop()
      void this.context?.close()
      this.context = null
      this.rate = rate
    }
    if (!usePlayer.getState().playing) return
    const same = before.length === tracks.length && before.every((t, i) => t.recordingId === tracks[i]!.recordingId)
    if (!same) return this.restart()
    for (const [i, track] of tracks.entries()) if (track.mapId !== before[i]!.mapId) void this.swap(track)
    this.applyWay()
  }

  /** One recording as it lies by now; done once what is heard of it begins, at once where nothing is. */
  async follow(recordingId: string, mapId: string): Promise<void> {
    const before = this.tracks
    const isMoved = (one: Track): boolean => one.recordingId === recordingId && one.role === 'recording' && one.mapId !== mapId
    this.tracks = before.map((one) => (isMoved(one) ? { ...one, mapId } : one))
    const moved = this.tracks.filter((one) => !before.includes(one))
    if (usePlayer.getState().playing)
      await Promise.all(moved.map((track) => new Promise<void>((begun) => void this.swap(track, begun).finally(begun))))
  }

  toggle(): void {
    if (usePlayer.getState().playing) this.stop()
    else void this.play()
  }

  setWay(way: Way): void {
    localStorage.setItem(WAY_KEY, way)
    usePlayer.setState({ way })
    this.applyWay()
  }

  setTurn(turn: Turn): void {
    localStorage.setItem(TURN_KEY, String(turn.lengthS))
    usePlayer.setState({ turn })
    this.applyWay()
  }

  /** The gain by which a recording cancels most of the reference. */
  setTaken(gain: number): void {
    this.taken = gain
    this.applyWay()
  }

  /** Stretches that are repeated, one after the other; none: it plays on. */
  setLoop(loop: readonly Range[]): void {
    usePlayer.setState({ loop })
    if (usePlayer.getState().playing) this.restart()
  }

  seek(positionS: number): void {
    const playing = usePlayer.getState().playing
    if (playing) this.stop()
    usePlayer.setState({ positionS: Math.max(0, Math.min(positionS, this.lengthS)) })
    if (playing) void this.play()
  }

  /** Play from a moment, whether anything was playing or not. */
  hear(positionS: number): void {
    this.stop()
    this.seek(positionS)
    void this.play()
  }

  /** Hear a second around a moment, once; the playhead stays on it. */
  hearAround(momentS: number, way: Way, aroundS = AROUND_S): void {
    this.hearOnce(momentS - aroundS, momentS + aroundS, momentS, way)
  }

  /** Hear a stretch once, in one way whatever is chosen; the playhead is at `backS` after it. */
  hearOnce(startS: number, endS: number, backS: number, way: Way): void {
    this.stop()
    this.seek(startS)
    this.once = { endS: Math.min(endS, this.lengthS), backS, way }
    void this.play()
  }

  /** Where the sound is now, s of reference time. */
  positionS(): number {
    return this.positionAt(this.context?.currentTime ?? 0)
  }

  private positionAt(now: number): number {
    const heard = this.segments.filter((s) => s.when <= now).at(-1)
    if (!usePlayer.getState().playing || !heard) return usePlayer.getState().positionS
    return (heard.first + Math.min((now - heard.when) * this.rate, heard.samples)) / this.rate
  }

  /** What is heard at a moment of the page's clock, ms, that is now or soon; s of reference time. */
  heardAt(pageMs: number): number {
    const context = this.context
    if (!context) return this.positionS()
    // What leaves the loudspeakers, not what is being made for them.
    const { contextTime = 0, performanceTime = 0 } = context.getOutputTimestamp()
    const at = contextTime > 0 ? contextTime + (pageMs - performanceTime) / 1000 : context.currentTime
    return this.positionAt(at)
  }

  stop(): void {
    const positionS = this.positionS()
    this.run++
    this.voices.stop()
    this.segments = []
    usePlayer.setState({ playing: false, positionS: this.once ? this.once.backS : positionS })
    this.once = null
  }

  private restart(): void {
    this.stop()
    void this.play()
  }

  private async play(): Promise<void> {
    if (!this.tracks.length) return
    const run = ++this.run
    this.context ??= new AudioContext({ sampleRate: this.rate })
    usePlayer.setState({ playing: true, error: null })
    await this.context.resume()
    const { positionS } = usePlayer.getState()
    const entered = this.once ? null : enter(usePlayer.getState().loop, positionS)
    let turn = entered?.turn ?? 0
    let next = Math.round((entered?.fromS ?? (positionS >= this.lengthS - 0.01 ? 0 : positionS)) * this.rate)
    let [when, jumped, chunkS] = [0, false, FIRST_S]
    this.applyWay()
    try {
      while (run === this.run) {
        const loop = this.once ? [] : usePlayer.getState().loop
        const range = loop[turn % Math.max(loop.length, 1)]
        const end = Math.round((this.once?.endS ?? range?.endS ?? this.lengthS) * this.rate)
        // The first chunk is short, so that sound starts at once, and none so long that the one before could end first.
        const wanted = Math.round(chunkS * this.rate)
        const samples = Math.min(wanted, end - next)
        if (samples <= 0) {
          if (range) {
            turn = (turn + 1) % loop.length
            next = Math.round(loop[turn]!.startS * this.rate)
            jumped = true
            continue
          }
          await this.until(when, run)
          if (run === this.run) {
            const wasOnce = this.once !== null
            this.stop()
            if (!wasOnce) usePlayer.setState({ positionS: 0 })
          }
          return
        }
        const tracks = this.tracks
        const buffers = await Promise.all(tracks.map((track) => this.fetch(track, next, samples)))
        if (run !== this.run) return
        const soonest = this.context.currentTime + LEAD_S
        // On whole samples of the clock: a fractional start would be interpolated.
        if (when < soonest) when = Math.ceil(soonest * this.rate) / this.rate
        const segment = { when, first: next, samples }
        this.segments.push(segment)
        this.takeTurns(segment)
        this.segments = this.segments.filter((s) => s.when > this.context!.currentTime - 30)
        for (const [i, track] of tracks.entries()) {
          const current = this.tracks.find((t) => t.recordingId === track.recordingId)
          const buffer = current && current.mapId !== track.mapId ? await this.fetch(current, next, samples) : buffers[i]!
          const fade = this.schedule(track, buffer, when)
          // Where it jumps, one moment ends and another begins: neither with a click.
          if (jumped) fade.gain.setValueAtTime(0, when).linearRampToValueAtTime(1, when + JUMP_S)
          const over = when + samples / this.rate
          if (range && next + samples === end) fade.gain.setValueAtTime(1, over - JUMP_S).linearRampToValueAtTime(0, over)
        }
        jumped = false
        chunkS = Math.min(2 * chunkS, CHUNK_S)
        next += samples
        when += samples / this.rate
        await this.until(when - AHEAD_S, run)
      }
    } catch (error) {
      if (run === this.run) {
        this.stop()
        usePlayer.setState({ error: error instanceof Error ? error.message : String(error) })
      }
    }
  }

  /** Replace what is scheduled of a track by its new version, from a moment ahead. */
  private async swap(track: Track, begun?: () => void): Promise<void> {
    const run = this.run
    const context = this.context
    if (!context) return
    const at = Math.ceil((context.currentTime + SWAP_S) * this.rate) / this.rate
    const parts = owedFrom(at, this.segments, this.rate, HEAD_S)
    const current = (): boolean => run === this.run && this.tracks.find((t) => t.recordingId === track.recordingId)?.mapId === track.mapId
    let stopped = false
    for (const part of parts) {
      const buffer = await this.fetch(track, part.first, part.samples)
      if (!current()) return
      const from = Math.max(part.when, Math.ceil((context.currentTime + 0.01) * this.rate) / this.rate)
      if (!stopped) this.voices.fadeOut(track.recordingId, from)
      const late = Math.max(0, Math.round((from - part.when) * this.rate))
      if (late < buffer.length) {
        const fade = this.schedule(track, buffer, part.when + late / this.rate, late)
        // The two curves add up to one: no gap, no click.
        if (!stopped) fade.gain.setValueAtTime(0, from).setTargetAtTime(1, from, SMOOTH_S)
        begun?.()
      }
      stopped = true
    }
  }

  private fetch(track: Track, first: number, samples: number): Promise<AudioBuffer> {
    return fetchSound(track, this.rate, first, samples)
  }

  private schedule(track: Track, buffer: AudioBuffer, when: number, skip = 0): GainNode {
    return this.voices.schedule(this.levels.outputOf(this.context!, track).gain, track.recordingId, buffer, when, skip)
  }

  private get way(): Way {
    return this.once?.way ?? usePlayer.getState().way
  }

  private applyWay(): void {
    if (!this.context) return
    this.levels.apply(this.context, this.tracks, this.way, this.taken)
    for (const segment of this.segments) this.takeTurns(segment)
  }

  private takeTurns(segment: Segment): void {
    if (!this.context || this.way !== 'turns') return
    this.levels.takeTurns(this.context, this.tracks, segment, this.rate, usePlayer.getState().turn)
  }

  private async until(when: number, run: number): Promise<void> {
    while (run === this.run && this.context && this.context.currentTime < when) await new Promise((resolve) => setTimeout(resolve, 40))
  }
}

export const player = new Player()
