/** Stretches of sound from the server, in reference time and at the reference's rate. */

export interface Track {
  recordingId: string
  role: 'reference' | 'recording'
  /** Version of the map; empty for the reference. */
  mapId: string
  /** At this one of the places that the search offers, wherever it lies. */
  rival?: number
  /** Where the sound comes from, if not from the recording itself, and what is asked of it there. */
  path?: string
  body?: string
  /** How it is heard among the others: a factor, and a place from left, −1, to right, 1. */
  level?: number
  position?: number
}

/** Samples `first` to `first + samples - 1` of a track; throws with the server's sentence. */
export async function fetchSound(track: Track, rate: number, first: number, samples: number): Promise<AudioBuffer> {
  const own = track.rival === undefined ? `&map_id=${track.mapId}` : `&rival=${track.rival}`
  const map = track.role === 'reference' || track.path ? '' : own
  const answer = await fetch(
    `${track.path ?? `/api/recordings/${track.recordingId}/sound`}?first=${first}&samples=${samples}${map}`,
    track.body === undefined ? undefined : { method: 'POST', body: track.body, headers: { 'Content-Type': 'application/json' } },
  )
  if (!answer.ok) {
    const problem = (await answer.json().catch(() => null)) as { detail?: string } | null
    throw new Error(problem?.detail ?? 'The sound could not be fetched.')
  }
  const channels = Number(answer.headers.get('X-Channels') ?? 1)
  const data = new Float32Array(await answer.arrayBuffer())
  const buffer = new AudioBuffer({ length: samples, numberOfChannels: channels, sampleRate: rate })
  for (let c = 0; c < channels; c++) buffer.copyToChannel(data.subarray(c * samples, (c + 1) * samples), c)
  return buffer
}
