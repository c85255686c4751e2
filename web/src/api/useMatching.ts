import { useMutation } from '@tanstack/react-query'
import { api, told } from './client'

interface Wish {
  recordingIds: string[]
  /** That much of the reference alone, s; null: all of it. */
  stretchS?: [number, number] | null
}

/** Asks for some recordings to be followed as other performances of the reference's part. */
export const useMatching = (projectId: string) =>
  useMutation({
    mutationFn: ({ recordingIds, stretchS }: Wish) =>
      told(
        api.POST('/api/projects/{project_id}/matches', {
          params: { path: { project_id: projectId } },
          body: { recording_ids: recordingIds, stretch_s: stretchS ?? null },
        }),
      ),
  })
