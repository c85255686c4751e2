import { frameAt, middleOf, type Frames } from '../time/frames'
import { player } from '../listening/player'
import { paceOf } from './pacing'

/** Where the picture is at a moment that is heard, s of its file; null where it has none. */
export type TimeAt = (tRefS: number) => number | null

/** Until its first frame has come, the player is not sent anywhere: that frame tells how it counts. */
const FIRST_MS = 1500
const HERE_S = 1e-4

/** A `<video>` that follows the sound: it is muted, and its clock is the player's, through the map. */
export class NativePicture {
  private timeAt: TimeAt = () => null
  private playing = false
  private positionS = 0
  /** What the element's time is ahead of the file's; null until it is known. */
  private aheadS: number | null = null
  private wishedS: number | null = null
  private ended = false
  private readonly timer: number

  constructor(
    private readonly video: HTMLVideoElement,
    private readonly frames: Frames,
    /** The element cannot show this picture. */
    private readonly failed: () => void,
    private readonly shown: (isThere: boolean) => void,
  ) {
    video.muted = true
    video.addEventListener('error', failed)
    video.addEventListener('loadedmetadata', this.check)
    video.addEventListener('seeked', this.settle)
    this.timer = window.setTimeout(() => this.begin(0), FIRST_MS)
    video.requestVideoFrameCallback(this.onFrame)
  }

  end(): void {
    this.ended = true
    window.clearTimeout(this.timer)
    this.video.removeEventListener('error', this.failed)
    this.video.removeEventListener('loadedmetadata', this.check)
    this.video.removeEventListener('seeked', this.settle)
    this.video.pause()
  }

  /** The playhead is there, and sound goes on or rests. */
  follow(positionS: number, playing: boolean, timeAt: TimeAt): void {
    this.positionS = positionS
    this.timeAt = timeAt
    if (playing !== this.playing) {
      this.playing = playing
      if (!playing) this.video.pause()
    }
    const tS = timeAt(positionS)
    const isThere = tS !== null && tS >= this.frames.startS
    this.shown(isThere)
    if (this.aheadS === null) return
    if (!isThere) return this.video.pause()
    if (!playing) return this.showMiddle(tS)
    if (this.video.paused && !this.video.seeking) this.start()
  }

  private readonly check = (): void => {
    // Sound that can be played with a picture that cannot has no size.
    if (this.video.videoWidth === 0) this.failed()
  }

  private begin(aheadS: number): void {
    if (this.aheadS !== null || this.ended) return
    this.aheadS = aheadS
    this.follow(this.positionS, this.playing, this.timeAt)
  }

  private start(): void {
    const tS = this.timeAt(this.positionS)
    if (tS === null) return
    if (Math.abs(this.video.currentTime - this.aheadS! - tS) > 1 / this.frames.rate) this.showMiddle(tS)
    // What is stopped again before it has begun says so; that is no fault.
    this.video.play().catch(() => undefined)
  }

  /** Send it to the middle of a frame: there it shows that one, whatever is rounded. */
  private showMiddle(tS: number): void {
    const wishedS = middleOf(this.frames, frameAt(this.frames, tS)) + this.aheadS!
    this.wishedS = wishedS
    // One after the other: what is wished meanwhile is gone to when this has come.
    if (!this.video.seeking && Math.abs(this.video.currentTime - wishedS) > HERE_S) this.video.currentTime = wishedS
  }

  private readonly settle = (): void => {
    if (this.playing || this.wishedS === null) return
    if (Math.abs(this.video.currentTime - this.wishedS) > HERE_S) this.video.currentTime = this.wishedS
  }

  private readonly onFrame: VideoFrameRequestCallback = (_, { mediaTime, expectedDisplayTime }) => {
    if (this.ended) return
    this.video.requestVideoFrameCallback(this.onFrame)
    // The first frame is seen before it is sent anywhere: it is the one that the file's picture starts with.
    if (this.aheadS === null) return this.begin(mediaTime - this.frames.startS)
    if (!this.playing) return
    const atS = player.heardAt(expectedDisplayTime)
    const [tS, laterS] = [this.timeAt(atS), this.timeAt(atS + 0.1)]
    if (tS === null) return
    // By the frame's middle: it is seen from its beginning to its end.
    const seenS = mediaTime - this.aheadS + 0.5 / this.frames.rate
    const pace = paceOf(tS - seenS, laterS === null ? 1 : (laterS - tS) / 0.1)
    if (pace.kind === 'rate') this.video.playbackRate = pace.rate
    else if (!this.video.seeking) this.video.currentTime = tS + this.aheadS
  }
}
