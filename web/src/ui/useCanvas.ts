import { useEffect, useRef, type RefObject } from 'react'
import { onTiles } from '../drawing/peakTiles'
import { useDark } from './dark'

export interface Size {
  widthPx: number
  heightPx: number
}

/**
 * Owns size, device pixels and the animation frame of a canvas: `draw` runs once a frame at most, in CSS pixels, after
 * anything that marks it stale (its own change, a new size, new peaks, another theme, what `onStale` tells), and not while
 * it is scrolled out of sight.
 */
export function useCanvas(
  draw: (ctx: CanvasRenderingContext2D, size: Size) => void,
  onStale?: (invalidate: () => void) => () => void,
): RefObject<HTMLCanvasElement | null> {
  const ref = useRef<HTMLCanvasElement>(null)
  const isSeen = useRef(true)
  const latest = useRef(draw)
  const queued = useRef(0)
  const dark = useDark((s) => s.dark)
  latest.current = draw

  const invalidate = useRef(() => {
    if (queued.current) return
    queued.current = requestAnimationFrame(() => {
      queued.current = 0
      const canvas = ref.current
      const ctx = canvas?.getContext('2d')
      if (!canvas || !ctx || !isSeen.current) return
      const { clientWidth: widthPx, clientHeight: heightPx } = canvas
      const ratio = window.devicePixelRatio
      const [w, h] = [Math.round(widthPx * ratio), Math.round(heightPx * ratio)]
      if (canvas.width !== w || canvas.height !== h) [canvas.width, canvas.height] = [w, h]
      ctx.setTransform(ratio, 0, 0, ratio, 0, 0)
      ctx.clearRect(0, 0, widthPx, heightPx)
      latest.current(ctx, { widthPx, heightPx })
    })
  }).current

  useEffect(invalidate, [draw, dark, invalidate])
  useEffect(() => {
    const canvas = ref.current
    if (!canvas) return
    const observer = new ResizeObserver(invalidate)
    observer.observe(canvas)
    const sight = new IntersectionObserver((entries) => {
      isSeen.current = entries.at(-1)!.isIntersecting
      if (isSeen.current) invalidate()
    })
    sight.observe(canvas)
    const stops = [onTiles(invalidate), onStale?.(invalidate)]
    return () => {
      observer.disconnect()
      sight.disconnect()
      for (const stop of stops) stop?.()
      if (queued.current) cancelAnimationFrame(queued.current)
      queued.current = 0
    }
  }, [invalidate, onStale])
  return ref
}
