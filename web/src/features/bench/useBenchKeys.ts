import { useEffect, useRef } from 'react'
import { onKeys } from '../../ui/keys'
import { player, usePlayer, WAYS, type Range } from '../listening/player'
import { STEPS, useStep } from './steps'
import type { Edits } from './useEdits'

interface Acts {
  edits: Edits
  step: (by: 1 | -1) => void
  setHeldBack: (held: boolean) => void
  selection: Range | null
  setSelection: (range: Range | null) => void
  zoom: (factor: number) => void
  showAll: () => void
  leave: () => void
  nextPlace: () => void
  rateHz: number
  frameRate: number
}

const TEN = 10
const ZOOM = 1.6

/** All keys of the bench; the list on "?" must say the same. */
export function useBenchKeys(acts: Acts): void {
  const latest = useRef(acts)
  latest.current = acts
  useEffect(() => {
    const a = (): Acts => latest.current
    const nudge = (steps: number): void => {
      const chosen = STEPS.find((one) => one.key === useStep.getState().step)!
      a().edits.nudge(steps * chosen.seconds(a().rateHz, a().frameRate))
    }
    const release = (event: KeyboardEvent): void => {
      if (event.key.toLowerCase() === 'b') a().setHeldBack(false)
    }
    window.addEventListener('keyup', release)
    const stop = onKeys({
      Space: () => player.toggle(),
      ...Object.fromEntries(WAYS.map((w) => [w.key, () => player.setWay(w.way)])),
      ArrowLeft: () => nudge(-1),
      ArrowRight: () => nudge(1),
      'Shift+ArrowLeft': () => nudge(-TEN),
      'Shift+ArrowRight': () => nudge(TEN),
      '[': () => useStep.getState().shift(-1),
      ']': () => useStep.getState().shift(1),
      b: (event) => !event.repeat && a().setHeldBack(true),
      '$mod+z': () => a().edits.edit({ kind: 'undo' }),
      '$mod+Shift+z': () => a().edits.edit({ kind: 'redo' }),
      '$mod+y': () => a().edits.edit({ kind: 'redo' }),
      '+': () => a().zoom(1 / ZOOM),
      '=': () => a().zoom(1 / ZOOM),
      '-': () => a().zoom(ZOOM),
      '0': () => a().showAll(),
      f: () => usePlayer.setState((s) => ({ follow: !s.follow })),
      l: () => player.setLoop(usePlayer.getState().loop ? null : a().selection),
      n: () => a().nextPlace(),
      j: () => a().step(1),
      k: () => a().step(-1),
      Escape: () => {
        if (a().selection) {
          a().setSelection(null)
          player.setLoop(null)
        } else a().leave()
      },
    })
    return () => {
      stop()
      window.removeEventListener('keyup', release)
    }
  }, [])
}
