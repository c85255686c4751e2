import { frameAt, middleOf, startOf, type Frames } from '../time/frames'
import { player } from '../listening/player'
import type { TimeAt } from './NativePicture'

/** So much comes at once while sound goes on, s, and so many such parts are kept. */
const PART_S = 1
const MOST_PARTS = 6
/** Widths that are asked for, pixels: the next that is wide enough. */
const WIDTHS = [240, 480, 960, 1920]

interface Still {
  startS: number
  image: ImageBitmap
}

/** A picture that no browser plays: its frames come from the server, and are drawn by their times. */
export class FramePicture {
  private parts = new Map<number, Still[] | null>()
  private single: { frame: number; still: Still | null } | null = null
  private drawn: Still | null = null
  private ended = false
  private latest: { positionS: number; playing: boolean; timeAt: TimeAt } | null = null

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly recordingId: string,
    private readonly frames: Frames,
    private readonly failed: (words: string) => void,
    private readonly shown: (isThere: boolean) => void,
  ) {}

  end(): void {
    this.ended = true
    this.parts.clear()
  }

  /** The playhead is there, and sound goes on or rests. */
  follow(positionS: number, playing: boolean, timeAt: TimeAt): void {
    this.latest = { positionS, playing, timeAt }
    const tS = timeAt(playing ? player.heardAt(performance.now()) : positionS)
    const isThere = tS !== null && tS >= this.frames.startS
    this.shown(isThere)
    if (!isThere) return
    const part = Math.floor(tS / PART_S)
    if (playing) for (const one of [part, part + 1]) void this.fetchPart(one)
    const still = this.parts
      .get(part)
      ?.filter((one) => one.startS <= tS + 1e-6)
      .at(-1)
    if (still) this.draw(still)
    else if (!playing) void this.fetchSingle(frameAt(this.frames, tS))
  }

  private draw(still: Still): void {
    if (still === this.drawn) return
    this.drawn = still
    const { canvas } = this
    ;[canvas.width, canvas.height] = [still.image.width, still.image.height]
    canvas.getContext('2d')?.drawImage(still.image, 0, 0)
  }

  private again(): void {
    if (this.latest && !this.ended) this.follow(this.latest.positionS, this.latest.playing, this.latest.timeAt)
  }

  private async fetchSingle(frame: number): Promise<void> {
    if (this.single?.frame === frame) {
      if (this.single.still) this.draw(this.single.still)
      return
    }
    const asked = { frame, still: null as Still | null }
    this.single = asked
    const middleS = middleOf(this.frames, frame)
    const [still] = await this.fetch(middleS, middleS)
    asked.still = still ?? null
    if (this.single === asked) this.again()
  }

  private async fetchPart(part: number): Promise<void> {
    if (this.parts.has(part) || part < 0) return
    this.parts.set(part, null)
    while (this.parts.size > MOST_PARTS) this.parts.delete(this.parts.keys().next().value!)
    // The frame that is seen where the part begins comes with it.
    this.parts.set(part, await this.fetch(part * PART_S, (part + 1) * PART_S))
    this.again()
  }

  private async fetch(startS: number, stopS: number): Promise<Still[]> {
    const wanted = this.canvas.clientWidth * window.devicePixelRatio
    const width = WIDTHS.find((one) => one >= wanted) ?? WIDTHS.at(-1)!
    const from = Math.max(startS, startOf(this.frames, 0))
    const answer = await fetch(`/api/recordings/${this.recordingId}/frames?start=${from}&stop=${Math.max(from, stopS)}&width=${width}`)
    if (!answer.ok) {
      const problem = (await answer.json().catch(() => null)) as { detail?: string } | null
      if (!this.ended) this.failed(problem?.detail ?? 'The picture could not be fetched.')
      return []
    }
    const data = new DataView(await answer.arrayBuffer())
    const stills: Promise<Still>[] = []
    for (let at = 0; at < data.byteLength;) {
      const [frameS, size] = [data.getFloat64(at, true), data.getUint32(at + 8, true)]
      const jpeg = new Blob([new Uint8Array(data.buffer, at + 12, size)], { type: 'image/jpeg' })
      stills.push(createImageBitmap(jpeg).then((image) => ({ startS: frameS, image })))
      at += 12 + size
    }
    return Promise.all(stills)
  }
}
