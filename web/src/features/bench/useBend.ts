import { useQuery } from '@tanstack/react-query'
import { create } from 'zustand'
import type { Bend } from '../../api/client'
import { bendOptions } from '../../api/queries'
import { useBench } from './benchStore'

/** How a recording would follow while a slider is turned. */
export interface BendWish {
  closeness: number
  leave_below_ms: number
  limit_percent: number
  ends: boolean
}

interface BendView {
  /** What is tried out; null: nothing. */
  tried: BendWish | null
  /** The tie that was chosen, and by how much keys or a hand are moving its sound, s. */
  tie: number | null
  nudgedS: number
  /** By how much it was moved: drawn so until it is told where the tie lies now. */
  landingS: number
}

/** Of the recording on the bench. */
export const useBendView = create<BendView>(() => ({ tried: null, tie: null, nudgedS: 0, landingS: 0 }))

/** The bend of the recording on the bench, or what it would be by the settings that are being turned; null: none. */
export function useBend(): Bend | null {
  const recordingId = useBench((s) => s.recording.id)
  const mapId = useBench((s) => s.mapId)
  const bent = useBench((s) => s.recording.map?.bent ?? false)
  const tried = useBendView((s) => s.tried)
  const { data: now } = useQuery({ ...bendOptions(recordingId, mapId, null), enabled: bent && mapId !== '' })
  const { data: would } = useQuery({ ...bendOptions(recordingId, mapId, tried), enabled: bent && tried !== null && mapId !== '' })
  if (!bent) return null
  return (tried && would) || now || null
}
