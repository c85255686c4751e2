import { useMutation } from '@tanstack/react-query'
import { api, told } from './client'

/** Asks for some recordings to be followed as other performances of the reference's part. */
export const useMatching = (projectId: string) =>
  useMutation({
    mutationFn: (recordingIds: string[]) =>
      told(
        api.POST('/api/projects/{project_id}/matches', {
          params: { path: { project_id: projectId } },
          body: { recording_ids: recordingIds },
        }),
      ),
  })
