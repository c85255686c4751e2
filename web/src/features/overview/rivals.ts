import { create } from 'zustand'
import { api, told, type Project, type Recording } from '../../api/client'
import { inOrder } from '../../api/order'
import { player } from '../../listening/player'
import { sayProblem } from '../../ui/problems'

/** What is heard of a rival on either side of its telling moment, s. */
const RIVAL_AROUND_S = 2

interface Heard {
  recordingId: string
  index: number
}

/** The place that is being tried by ear in the tray; null: none. */
export const useRival = create<{ heard: Heard | null }>(() => ({ heard: null }))

const unsureOf = (project: Project): Recording[] =>
  inOrder(project.recordings.filter((one) => one.status === 'unsure' && (one.judgement?.candidates.length ?? 0) > 0))

/** Hear a place of a recording without one, against the reference, at the moment that tells most. */
export async function hearRival(project: Project, recording: Recording, index: number): Promise<void> {
  const reference = project.recordings.find((one) => one.id === project.reference_id)
  if (!reference) return
  useRival.setState({ heard: { recordingId: recording.id, index } })
  try {
    const moment = await told(
      api.GET('/api/recordings/{recording_id}/rivals/{index}/moment', { params: { path: { recording_id: recording.id, index } } }),
    )
    const { heard } = useRival.getState()
    // Another one was asked for meanwhile.
    if (heard?.recordingId !== recording.id || heard.index !== index) return
    player.stop()
    player.setTracks(
      [
        { recordingId: reference.id, role: 'reference', mapId: '' },
        { recordingId: recording.id, role: 'recording', mapId: `rival ${index}`, rival: index },
      ],
      reference.media.sample_rate_hz ?? 48000,
      reference.media.duration_s ?? 0,
    )
    player.hearAround(moment, 'both', RIVAL_AROUND_S)
  } catch (error) {
    useRival.setState({ heard: null })
    sayProblem(error instanceof Error ? error.message : String(error))
  }
}

/** The next place of the recording that is tried, or the first of the first one in the tray. */
export function hearNextRival(project: Project): void {
  const tray = unsureOf(project)
  const { heard } = useRival.getState()
  const recording = tray.find((one) => one.id === heard?.recordingId) ?? tray[0]
  if (!recording) return sayProblem('Nothing waits in the tray with places to choose from.')
  const count = recording.judgement?.candidates.length ?? 1
  const index = heard?.recordingId === recording.id ? (heard.index + 1) % count : 0
  void hearRival(project, recording, index)
}

/** The recording that is tried, and which of its places. */
export function triedRival(project: Project): [Recording, number] | null {
  const { heard } = useRival.getState()
  const recording = project.recordings.find((one) => one.id === heard?.recordingId)
  return recording && heard ? [recording, heard.index] : null
}
