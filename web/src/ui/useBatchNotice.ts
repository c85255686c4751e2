import { useEffect, useRef, useState } from 'react'
import type { Project } from '../api/client'
import { sayNews } from './problems'

/**
 * What goes before the page's title while many are listened to or placed, and a notice when the last of them is through:
 * whoever looked elsewhere meanwhile finds out without coming back.
 */
export function useBatchNotice(project: Project | undefined): string {
  const before = useRef<Project['batch']>(null)
  const [through, setThrough] = useState(false)
  const batch = project?.batch ?? null
  const summary = project?.summary ?? ''
  useEffect(() => {
    if (before.current && !batch) {
      sayNews(`All ${before.current.total} are through: ${summary}.`)
      if (!document.hasFocus()) setThrough(true)
    }
    before.current = batch
  }, [batch, summary])
  useEffect(() => {
    const seen = (): void => setThrough(false)
    window.addEventListener('focus', seen)
    return () => window.removeEventListener('focus', seen)
  }, [])
  if (batch) return `${batch.done} of ${batch.total} · `
  return through ? 'Through · ' : ''
}
