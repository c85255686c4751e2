import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useCallback } from 'react'
import { api, told, type Edit, type EditWish, type Recording } from './client'
import { putRecording } from './queries'

interface Wished {
  recording: Recording
  wish: EditWish
}

/** One edit of a recording as it is shown, for who shows that it is on its way. */
export function useEditMutation(onSettled?: () => void) {
  const client = useQueryClient()
  return useMutation({
    mutationFn: ({ recording, wish }: Wished) =>
      told(
        api.POST('/api/recordings/{recording_id}/map-edits', {
          params: { path: { recording_id: recording.id } },
          body: { ...wish, version: recording.version } as Edit,
        }),
      ),
    onSuccess: (changed) => putRecording(client, changed),
    onSettled,
  })
}

/** One edit of a recording as it is shown; the answer is on the screen before the next push. */
export function useEditRecording(): (recording: Recording, wish: EditWish) => void {
  const { mutate } = useEditMutation()
  return useCallback((recording, wish) => mutate({ recording, wish }), [mutate])
}
