import { useEffect, useRef, useState } from 'react'

/** A value that changes at most once in `everyMs`, and ends as the last one. */
export function useThrottled<T>(value: T, everyMs: number): T {
  const [shown, show] = useState(value)
  const last = useRef(0)
  useEffect(() => {
    const wait = Math.max(0, last.current + everyMs - performance.now())
    const timer = window.setTimeout(() => {
      last.current = performance.now()
      show(value)
    }, wait)
    return () => window.clearTimeout(timer)
  }, [value, everyMs])
  return shown
}
