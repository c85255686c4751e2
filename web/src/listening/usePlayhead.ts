import { useEffect } from 'react'
import { player, usePlayer } from './player'

/** Calls `onMove(positionS)` once a frame while playing, and once after every other move of the playhead. */
export function usePlayhead(onMove: (positionS: number) => void): void {
  const playing = usePlayer((s) => s.playing)
  const restS = usePlayer((s) => s.positionS)
  useEffect(() => {
    onMove(player.positionS())
    if (!playing) return
    let frame = 0
    const step = (): void => {
      onMove(player.positionS())
      frame = requestAnimationFrame(step)
    }
    frame = requestAnimationFrame(step)
    return () => cancelAnimationFrame(frame)
  }, [playing, restS, onMove])
}
