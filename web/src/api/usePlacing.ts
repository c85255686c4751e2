import { useMutation } from '@tanstack/react-query'
import { api, told } from './client'

/** Asks for the places of some recordings. */
export const usePlacing = (projectId: string) =>
  useMutation({
    mutationFn: (recordingIds: string[]) =>
      told(
        api.POST('/api/projects/{project_id}/alignments', {
          params: { path: { project_id: projectId } },
          body: { recording_ids: recordingIds },
        }),
      ),
  })
