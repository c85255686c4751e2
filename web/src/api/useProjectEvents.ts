import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'

/** Asks for the project anew whenever the server says that it changed; at most one question at a time. */
export function useProjectEvents(projectId: string): void {
  const client = useQueryClient()
  useEffect(() => {
    const source = new EventSource(`/api/projects/${projectId}/events`)
    let asking = false
    let again = false
    const refresh = async (): Promise<void> => {
      if (asking) {
        again = true
        return
      }
      asking = true
      await client.invalidateQueries({ queryKey: ['project', projectId] })
      await client.invalidateQueries({ queryKey: ['deliveries', projectId] })
      await client.invalidateQueries({ queryKey: ['marks', projectId] })
      await client.invalidateQueries({ queryKey: ['sets', projectId] })
      asking = false
      if (again) {
        again = false
        void refresh()
      }
    }
    source.addEventListener('changed', () => void refresh())
    return () => source.close()
  }, [projectId, client])
}
