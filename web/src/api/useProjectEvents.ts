import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'

/** While a batch is placed something changes all the time: the project is asked for so often at most, */
const EVERY_MS = 250
/** and after a rest of so many times what the answer took: the same processors look for the places. */
const REST = 4

const restMs = (tookMs: number): number => Math.max(EVERY_MS - tookMs, REST * tookMs)

/** Asks for the project anew whenever the server says that it changed; at most one question at a time. */
export function useProjectEvents(projectId: string): void {
  const client = useQueryClient()
  useEffect(() => {
    const source = new EventSource(`/api/projects/${projectId}/events`)
    let timer = 0
    let asking = false
    let again = false
    const refresh = async (): Promise<void> => {
      if (asking) {
        again = true
        return
      }
      asking = true
      const began = performance.now()
      await client.invalidateQueries({ queryKey: ['project', projectId] })
      await client.invalidateQueries({ queryKey: ['deliveries', projectId] })
      await client.invalidateQueries({ queryKey: ['marks', projectId] })
      await client.invalidateQueries({ queryKey: ['sets', projectId] })
      timer = window.setTimeout(
        () => {
          asking = false
          if (!again) return
          again = false
          void refresh()
        },
        restMs(performance.now() - began),
      )
    }
    source.addEventListener('changed', () => void refresh())
    return () => {
      source.close()
      window.clearTimeout(timer)
    }
  }, [projectId, client])
}
