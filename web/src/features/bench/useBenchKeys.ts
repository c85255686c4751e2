import { useEffect, useRef } from 'react'
import { player, usePlayer } from '../../listening/player'
import { WAYS } from '../../listening/ways'
import { onKeys } from '../../ui/keys'
import { useBenchStore } from './benchStore'
import { useBendView } from './useBend'
import { useLaidBehind } from './laidBehind'
import { hearMomentsInTurn } from './momentsInTurn'
import { useMarkActions } from './marks'
import { usePictureSize } from './pictureSize'
import { useScrub } from './scrub'
import { stepFrame } from './stepFrame'
import { STEPS, useStep } from './steps'
import { useTies } from './useTies'
import { useTraceKind } from './traceKind'
import { useWaveKind } from './waveKind'

interface Ways {
  step: (by: 1 | -1) => void
  leave: () => void
}

const TEN = 10
/** What is heard once more of what was just heard. */
const AGAIN_S = 1
const ZOOM = 1.6

/** All keys of the bench; the list on "?" must say the same. */
export function useBenchKeys(ways: Ways): void {
  const latest = useRef(ways)
  latest.current = ways
  const store = useBenchStore()
  const marks = useMarkActions()
  const ties = useTies()
  useEffect(() => {
    const bench = store.getState
    const zoom = (factor: number): void => bench().zoom(factor, player.positionS())
    const stepS = (steps: number): number => {
      const chosen = STEPS.find((one) => one.key === useStep.getState().step)!
      const { reference, project } = bench()
      return steps * chosen.seconds(reference.media.sample_rate_hz ?? 48000, project.frame_rate.per_second)
    }
    const nudge = (steps: number, { repeat }: KeyboardEvent): void => {
      const { piece } = bench()
      if (ties.nudge(stepS(steps))) return
      if (piece === null) bench().nudge(stepS(steps), repeat)
      else bench().keep({ kind: 'slide', index: piece, byS: stepS(steps) })
    }
    /** The sound in the last loupe, while another moment (the first, unless one is held) stays where it is. */
    const stretch = (steps: number): void => {
      const { centresS, heldLoupe } = bench()
      const [hold, at] = [heldLoupe ?? 0, heldLoupe === centresS.length - 1 ? 0 : centresS.length - 1]
      if (centresS.length < 2) return
      bench().keep({ kind: 'stretch', holdS: centresS[hold]!, atS: centresS[at]!, byS: stepS(steps) })
    }
    const nextPlace = (): void => {
      const places = bench().recording.judgement?.candidates ?? []
      const here = places.findIndex((one) => one.current)
      if (places.length > 1 || (places.length === 1 && here < 0)) bench().edit({ kind: 'take', index: (here + 1) % places.length })
    }
    const release = (event: KeyboardEvent): void => {
      if (event.key.toLowerCase() === 'b') bench().holdBack(false)
      if (event.key.toLowerCase() === 'z') useScrub.setState({ on: false })
      if (event.key.startsWith('Arrow')) bench().settle()
    }
    // Who goes elsewhere with a key held lets go of it there.
    const letGo = (): void => {
      bench().holdBack(false)
      useScrub.setState({ on: false })
    }
    window.addEventListener('keyup', release)
    window.addEventListener('blur', letGo)
    const stop = onKeys({
      Space: () => player.toggle(),
      ...Object.fromEntries(WAYS.map((w) => [w.key, () => player.setWay(w.way)])),
      ArrowLeft: (event) => nudge(-1, event),
      ArrowRight: (event) => nudge(1, event),
      'Shift+ArrowLeft': (event) => nudge(-TEN, event),
      'Shift+ArrowRight': (event) => nudge(TEN, event),
      'Alt+ArrowLeft': () => stretch(-1),
      'Alt+ArrowRight': () => stretch(1),
      m: () => void marks.put('recording'),
      'Shift+M': () => void marks.put('reference'),
      v: () => marks.next('recording'),
      r: () => marks.next('reference'),
      e: () => marks.meet(),
      p: () => marks.toPlayhead(),
      s: () => marks.firstSound(),
      h: () => ties.hold() || bench().holdLoupe(bench().heldLoupe === null ? 0 : null),
      w: () => ties.put(),
      y: () => ties.next(1),
      'Shift+Y': () => ties.next(-1),
      i: () => ties.split(),
      d: () => ties.other(),
      g: () => useLaidBehind.getState().turn(),
      q: () => ties.hear('reference'),
      u: () => ties.hear('recording'),
      'Shift+U': () => ties.hear('both'),
      c: () => bench().edit({ kind: 'split', t_ref: player.positionS() }),
      Delete: () => {
        const { piece } = bench()
        if (ties.remove() || piece === null) return
        bench().choosePiece(null)
        bench().edit({ kind: 'remove', index: piece })
      },
      x: () => bench().edit({ kind: 'lock', locked: !bench().recording.locked }),
      t: () => useTraceKind.getState().turn(),
      o: () => useWaveKind.getState().turn(),
      '[': () => useStep.getState().shift(-1),
      ']': () => useStep.getState().shift(1),
      b: (event) => !event.repeat && bench().holdBack(true),
      z: (event) => !event.repeat && useScrub.setState({ on: true }),
      '$mod+z': () => bench().edit({ kind: 'undo' }),
      '$mod+Shift+z': () => bench().edit({ kind: 'redo' }),
      '$mod+y': () => bench().edit({ kind: 'redo' }),
      '+': () => zoom(1 / ZOOM),
      '=': () => zoom(1 / ZOOM),
      'Shift+Equal': () => zoom(1 / ZOOM),
      '-': () => zoom(ZOOM),
      '0': () => bench().showAll(),
      f: () => usePlayer.setState((s) => ({ follow: !s.follow })),
      l: () => {
        const stretch = bench().selection ?? ties.around()
        player.setLoop(usePlayer.getState().loop.length || !stretch ? [] : [stretch])
      },
      'Shift+L': () => hearMomentsInTurn(bench().centresS),
      a: () => {
        const atS = player.positionS()
        player.hearOnce(atS - AGAIN_S, atS, atS, usePlayer.getState().way)
      },
      n: nextPlace,
      j: () => latest.current.step(1),
      k: () => latest.current.step(-1),
      ',': () => stepFrame(bench(), -1),
      '.': () => stepFrame(bench(), 1),
      'Shift+P': () => usePictureSize.getState().turn(),
      Escape: () => {
        const { size, before, show } = usePictureSize.getState()
        if (size === 'whole') show(before)
        else if (useBendView.getState().tie !== null) ties.choose(null)
        else if (bench().piece !== null) bench().choosePiece(null)
        else if (bench().selection) {
          bench().select(null)
          player.setLoop([])
        } else latest.current.leave()
      },
    })
    return () => {
      stop()
      letGo()
      window.removeEventListener('keyup', release)
      window.removeEventListener('blur', letGo)
    }
  }, [store, marks, ties])
}
