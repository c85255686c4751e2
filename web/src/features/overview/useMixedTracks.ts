import { useEffect, useMemo } from 'react'
import type { Project, Recording } from '../../api/client'
import type { Track } from '../../listening/fetchSound'
import { anySolo, isHeard, openMixer, PLAIN, useMixer, wiredVoices } from '../../listening/mixer'
import { useThrottled } from '../../ui/useThrottled'

/** While a level is dragged the mix is asked for so often at most. */
const EVERY_MS = 80

/** The reference, and all that is placed as one stream: however many sound together, the server mixes them. */
export function useMixedTracks(project: Project, reference: Recording | null, others: readonly Recording[]): Track[] {
  useEffect(() => openMixer(project.id), [project.id])
  const voices = useThrottled(
    useMixer((s) => s.voices),
    EVERY_MS,
  )
  return useMemo<Track[]>(() => {
    if (!reference || reference.media.state !== 'ready') return []
    const placed = others.filter((one) => one.status === 'placed')
    const own = voices[reference.id] ?? PLAIN
    const ids = placed.map((one) => one.id)
    const someAreSolo = anySolo(voices, [reference.id, ...ids])
    const tracks: Track[] = [
      {
        recordingId: reference.id,
        role: 'reference',
        mapId: '',
        level: isHeard(own, someAreSolo) ? 10 ** (own.levelDb / 20) : 0,
        position: own.position,
      },
    ]
    const body = JSON.stringify({ voices: wiredVoices(voices, ids, someAreSolo) })
    if (placed.length)
      tracks.push({
        recordingId: 'all',
        role: 'recording',
        mapId: placed.map((one) => one.map?.id ?? '').join() + body,
        path: `/api/projects/${project.id}/mix`,
        body,
      })
    return tracks
  }, [reference, others, project.id, voices])
}
