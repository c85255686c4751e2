import { create } from 'zustand'

/** How one recording is heard among the others; nothing of it is delivered. */
export interface Voice {
  levelDb: number
  /** From left, −1, to right, 1. */
  position: number
  muted: boolean
  /** Only those that are solo are heard, if any is. */
  solo: boolean
}

export const PLAIN: Voice = { levelDb: 0, position: 0, muted: false, solo: false }
export const LEAST_DB = -40
export const MOST_DB = 12
const KEY = 'gullywind-mix-'

interface Mixer {
  projectId: string
  /** By recording; those that are missing are plain. */
  voices: Readonly<Record<string, Voice>>
}

export const useMixer = create<Mixer>(() => ({ projectId: '', voices: {} }))

/** What was set for a project before. */
export function openMixer(projectId: string): void {
  let voices: Mixer['voices'] = {}
  try {
    voices = JSON.parse(localStorage.getItem(KEY + projectId) ?? '{}') as Mixer['voices']
  } catch {
    // What cannot be read is as good as nothing.
  }
  useMixer.setState({ projectId, voices })
}

export function setVoice(recordingId: string, change: Partial<Voice>): void {
  const { projectId, voices } = useMixer.getState()
  keep(projectId, { ...voices, [recordingId]: { ...PLAIN, ...voices[recordingId], ...change } })
}

export const clearMixer = (): void => keep(useMixer.getState().projectId, {})

function keep(projectId: string, voices: Mixer['voices']): void {
  useMixer.setState({ voices })
  localStorage.setItem(KEY + projectId, JSON.stringify(voices))
}

/** Whether any of some recordings is solo; one that was removed silences nobody. */
export const anySolo = (voices: Mixer['voices'], recordingIds: readonly string[]): boolean => recordingIds.some((id) => voices[id]?.solo)

/** Whether one is heard: not muted, and solo where any is. */
export const isHeard = (voice: Voice, someAreSolo: boolean): boolean => !voice.muted && (voice.solo || !someAreSolo)

/** Those of some recordings that are not heard as they are, as the server takes them. */
export const wiredVoices = (voices: Mixer['voices'], recordingIds: readonly string[], someAreSolo: boolean) =>
  recordingIds.flatMap((recording_id) => {
    const voice = voices[recording_id] ?? PLAIN
    const { levelDb, position } = voice
    const muted = !isHeard(voice, someAreSolo)
    return muted || levelDb !== 0 || position !== 0 ? [{ recording_id, level_db: levelDb, position, muted }] : []
  })
