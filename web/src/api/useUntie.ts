import { useMutation, useQueryClient } from '@tanstack/react-query'
import { api, told } from './client'

/** Takes a set apart: its members stay where they lie. */
export function useUntie(projectId: string) {
  const client = useQueryClient()
  return useMutation({
    mutationFn: (setId: string) =>
      told(api.DELETE('/api/projects/{project_id}/sets/{set_id}', { params: { path: { project_id: projectId, set_id: setId } } })),
    onSettled: () => client.invalidateQueries({ queryKey: ['sets', projectId] }),
  })
}
