import { useMutation, useQueryClient } from '@tanstack/react-query'
import { api, told, type Project } from '../../api/client'
import { putProject } from '../../api/queries'

/** Makes a recording the reference. Nothing is lost, and it can be undone: there is nothing to ask. */
export function useReference(project: Project): (recordingId: string) => void {
  const client = useQueryClient()
  const { mutate } = useMutation({
    mutationFn: (recordingId: string) =>
      told(
        api.PATCH('/api/projects/{project_id}', {
          params: { path: { project_id: project.id } },
          body: { version: project.version, reference_id: recordingId },
        }),
      ),
    onSuccess: (changed) => putProject(client, changed),
  })
  return mutate
}
