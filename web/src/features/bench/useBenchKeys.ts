import { useEffect, useRef } from 'react'
import { onKeys } from '../../ui/keys'
import { player, usePlayer, WAYS, type Range } from '../listening/player'
import { STEPS, useStep } from './steps'
import { useWaveKind } from './waveKind'
import { useTraceKind } from './traceKind'
import type { Edits } from './useEdits'
import type { Loupes } from './useLoupes'

interface Acts {
  edits: Edits
  loupes: Loupes
  piece: number | null
  choosePiece: (index: number | null) => void
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
      const byS = steps * chosen.seconds(a().rateHz, a().frameRate)
      const { piece } = a()
      if (piece === null) a().edits.nudge(byS)
      else a().edits.keep({ kind: 'slide', index: piece, byS })
    }
    /** The sound in the last loupe, while another moment (the first, unless one is held) stays where it is. */
    const stretch = (steps: number): void => {
      const chosen = STEPS.find((one) => one.key === useStep.getState().step)!
      const { centresS, held } = a().loupes
      const [hold, at] = [held ?? 0, held === centresS.length - 1 ? 0 : centresS.length - 1]
      if (centresS.length < 2) return
      a().edits.keep({ kind: 'stretch', holdS: centresS[hold]!, atS: centresS[at]!, byS: steps * chosen.seconds(a().rateHz, a().frameRate) })
    }
    const release = (event: KeyboardEvent): void => {
      if (event.key.toLowerCase() === 'b') a().setHeldBack(false)
      if (event.key.startsWith('Arrow')) a().edits.settle()
    }
    window.addEventListener('keyup', release)
    const stop = onKeys({
      Space: () => player.toggle(),
      ...Object.fromEntries(WAYS.map((w) => [w.key, () => player.setWay(w.way)])),
      ArrowLeft: () => nudge(-1),
      ArrowRight: () => nudge(1),
      'Shift+ArrowLeft': () => nudge(-TEN),
      'Shift+ArrowRight': () => nudge(TEN),
      'Alt+ArrowLeft': () => stretch(-1),
      'Alt+ArrowRight': () => stretch(1),
      h: () => a().loupes.hold(a().loupes.held === null ? 0 : null),
      c: () => a().edits.edit({ kind: 'split', t_ref: player.positionS() }),
      Delete: () => {
        const { piece } = a()
        if (piece === null) return
        a().choosePiece(null)
        a().edits.edit({ kind: 'remove', index: piece })
      },
      t: () => useTraceKind.getState().turn(),
      o: () => useWaveKind.getState().turn(),
      '[': () => useStep.getState().shift(-1),
      ']': () => useStep.getState().shift(1),
      b: (event) => !event.repeat && a().setHeldBack(true),
      '$mod+z': () => a().edits.edit({ kind: 'undo' }),
      '$mod+Shift+z': () => a().edits.edit({ kind: 'redo' }),
      '$mod+y': () => a().edits.edit({ kind: 'redo' }),
      '+': () => a().zoom(1 / ZOOM),
      '=': () => a().zoom(1 / ZOOM),
      'Shift+Equal': () => a().zoom(1 / ZOOM),
      '-': () => a().zoom(ZOOM),
      '0': () => a().showAll(),
      f: () => usePlayer.setState((s) => ({ follow: !s.follow })),
      l: () => player.setLoop(usePlayer.getState().loop ? null : a().selection),
      n: () => a().nextPlace(),
      j: () => a().step(1),
      k: () => a().step(-1),
      Escape: () => {
        if (a().piece !== null) a().choosePiece(null)
        else if (a().selection) {
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
