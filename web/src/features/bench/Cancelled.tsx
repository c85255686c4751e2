import { Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useState } from 'react'
import { differenceOptions } from '../../api/queries'
import { player, usePlayer } from '../../listening/player'
import { usePlayhead } from '../../listening/usePlayhead'
import { useBench } from './benchStore'

/** Measured anew every so many seconds of what is played. */
const EVERY_S = 2

/** While the difference is heard: how much of the reference cancels just here, and the gain by which it does. */
export function Cancelled() {
  const isHeard = usePlayer((s) => s.way === 'difference')
  const id = useBench((s) => s.recording.id)
  const mapId = useBench((s) => s.mapId)
  const [atS, look] = useState(0)
  const follow = useCallback((positionS: number) => look(Math.floor(positionS / EVERY_S) * EVERY_S + EVERY_S / 2), [])
  usePlayhead(follow)
  const { data: found } = useQuery({ ...differenceOptions(id, mapId, atS), enabled: isHeard && mapId !== '' })
  useEffect(() => {
    if (found) player.setTaken(found.gain)
  }, [found])
  if (!isHeard || !mapId || found === undefined) return null
  return (
    <Text fontSize="sm" color="fg.muted" whiteSpace="nowrap" role="status" data-testid="cancelled">
      {found === null ? 'one of them is silent here' : `${found.cancelled_db.toFixed(1)} dB of the reference cancel here`}
    </Text>
  )
}
