import { useMutation } from '@tanstack/react-query'
import { api, told } from './client'

/** Asks for the place of one recording. */
export const usePlacing = (projectId: string, recordingId: string) =>
  useMutation({
    mutationFn: () =>
      told(
        api.POST('/api/projects/{project_id}/alignments', {
          params: { path: { project_id: projectId } },
          body: { recording_id: recordingId },
        }),
      ),
  })
