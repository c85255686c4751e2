/** Tiles of waveform peaks from the server, cached; bins of 1, 4, 16 … 262144 samples, 1024 bins a tile. */

export const TILE_BINS = 1024
export const BINS = [1, 4, 16, 64, 256, 1024, 4096, 16384, 65536, 262144] as const
const MOST_TILES = 3000

/** int16 minimum, maximum, RMS, interleaved. */
type Tile = Int16Array
const tiles = new Map<string, Tile | 'coming'>()
const listeners = new Set<() => void>()

/** Be told whenever a tile has arrived; returns the way to stop. */
export function onTiles(listener: () => void): () => void {
  listeners.add(listener)
  return () => listeners.delete(listener)
}

async function fetchTile(key: string): Promise<void> {
  tiles.set(key, 'coming')
  try {
    const answer = await fetch(`/api/media/${key}`)
    if (!answer.ok) throw new Error(String(answer.status))
    tiles.set(key, new Int16Array(await answer.arrayBuffer()))
    if (tiles.size > MOST_TILES) for (const old of [...tiles.keys()].slice(0, MOST_TILES / 4)) tiles.delete(old)
    for (const listener of listeners) listener()
  } catch {
    // Asked again when it is next drawn.
    tiles.delete(key)
  }
}

/** The tile used last: a drawing asks for the same one a thousand times, and building its key costs more than the rest. */
let last: { hash: string; bin: number; number: number; data: Tile } | null = null

function tile(hash: string, bin: number, number: number): Tile | null {
  if (last && last.number === number && last.bin === bin && last.hash === hash) return last.data
  const key = `${hash}/peaks/${bin}/${number}`
  const found = tiles.get(key)
  if (found instanceof Int16Array) {
    last = { hash, bin, number, data: found }
    return found
  }
  if (found === undefined) void fetchTile(key)
  return null
}

/** The coarsest bins that are not wider than `samplesPerPx`. */
export function binFor(samplesPerPx: number): number {
  let chosen: number = BINS[0]
  for (const bin of BINS) if (bin <= samplesPerPx) chosen = bin
  return chosen
}

export interface Extent {
  min: number
  max: number
}

/** Minimum and maximum (−1..1) of samples `first` to before `end`; null where the tile has not come yet. */
export function extent(hash: string, bin: number, first: number, end: number): Extent | null {
  let min = 1
  let max = -1
  const low = Math.max(0, Math.floor(first / bin))
  const high = Math.max(low, Math.ceil(end / bin) - 1)
  for (let i = low; i <= high; i++) {
    const data = tile(hash, bin, Math.floor(i / TILE_BINS))
    if (!data) return null
    const at = (i % TILE_BINS) * 3
    if (at >= data.length) break
    min = Math.min(min, data[at]! / 32767)
    max = Math.max(max, data[at + 1]! / 32767)
  }
  return max < min ? { min: 0, max: 0 } : { min, max }
}
