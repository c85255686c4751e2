import { useMutation } from '@tanstack/react-query'
import { api, told } from './client'
import type { components } from './schema'

interface Wish {
  recordingIds: string[]
  /** That much of the reference alone; null: all of it. */
  stretch?: components['schemas']['StretchToMatch'] | null
}

/** Asks for some recordings to be followed as other performances of the reference's part. */
export const useMatching = (projectId: string) =>
  useMutation({
    mutationFn: ({ recordingIds, stretch }: Wish) =>
      told(
        api.POST('/api/projects/{project_id}/matches', {
          params: { path: { project_id: projectId } },
          body: { recording_ids: recordingIds, stretch: stretch ?? null },
        }),
      ),
  })
