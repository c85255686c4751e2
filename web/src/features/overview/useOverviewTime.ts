import { useCallback, useEffect, useMemo, useRef, useState, type RefObject } from 'react'
import { onKeys } from '../../ui/keys'
import { useWheel } from '../../ui/useWheel'
import { showing, timeAt, xOf, zoomedAbout, type Viewport } from '../../time/viewport'
import { player, usePlayer } from '../../listening/player'
import { showHead } from '../../listening/showHead'
import { usePlayhead } from '../../listening/usePlayhead'

/** Room at both ends of the event. */
const EDGE = 0.01

export interface OverviewTime {
  view: Viewport
  widthPx: number
  setView: (change: (view: Viewport) => Viewport) => void
  zoom: (factor: number) => void
  showAll: (() => void) | null
}

/** The stretch of time that the Overview shows: all of it, until a person goes closer. Keys, wheel and playhead. */
export function useOverviewTime(
  startS: number,
  endS: number,
  ruler: RefObject<HTMLElement | null>,
  list: RefObject<HTMLElement | null>,
  head: RefObject<HTMLElement | null>,
): OverviewTime {
  const [widthPx, setWidthPx] = useState(800)
  const [closer, setCloser] = useState<Viewport | null>(null)
  const whole = useMemo(() => {
    const edge = (endS - startS) * EDGE
    return showing(startS - edge, endS + edge, widthPx)
  }, [startS, endS, widthPx])
  const view = closer ?? whole
  const setView = useCallback(
    (change: (view: Viewport) => Viewport) =>
      setCloser((old) => {
        const next = change(old ?? whole)
        if (next.secondsPerPx >= whole.secondsPerPx) return null
        // Not beyond the ends: there is nothing to be seen.
        const last = timeAt(whole, widthPx) - widthPx * next.secondsPerPx
        return { ...next, startS: Math.min(Math.max(next.startS, whole.startS), last) }
      }),
    [whole, widthPx],
  )
  const zoom = useCallback(
    (factor: number) => {
      setView((v) => zoomedAbout(v, player.positionS(), widthPx, factor, whole.secondsPerPx))
    },
    [setView, widthPx, whole],
  )
  useEffect(() => {
    if (!ruler.current) return
    const observer = new ResizeObserver(([entry]) => setWidthPx(Math.max(120, entry!.contentRect.width)))
    observer.observe(ruler.current)
    return () => observer.disconnect()
  }, [ruler])
  useWheel(ruler, { setView, coarsest: whole.secondsPerPx, zooms: true })
  useWheel(list, { setView, coarsest: whole.secondsPerPx, zooms: false, origin: ruler })
  useEffect(
    () =>
      onKeys({
        '+': () => zoom(0.5),
        '=': () => zoom(0.5),
        'Shift+Equal': () => zoom(0.5),
        '-': () => zoom(2),
        '0': () => setCloser(null),
      }),
    [zoom],
  )

  const viewRef = useRef(view)
  viewRef.current = view
  const follow = useCallback(
    (positionS: number) => {
      const x = xOf(viewRef.current, positionS)
      if (head.current) showHead(head.current, x, widthPx)
      if (usePlayer.getState().playing && (x > widthPx * 0.95 || x < 0))
        setView((v) => ({ ...v, startS: positionS - widthPx * 0.05 * v.secondsPerPx }))
    },
    [head, setView, widthPx],
  )
  usePlayhead(follow)
  useEffect(() => follow(player.positionS()), [view, follow])
  return { view, widthPx, setView, zoom, showAll: closer ? () => setCloser(null) : null }
}
