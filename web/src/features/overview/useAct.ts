import { useMutation } from '@tanstack/react-query'
import { api, told, type Act } from '../../api/client'
import { sayProblem } from '../../ui/problems'

/** Does one thing to many recordings, as one change; says to which of them it was not done, and why. */
export function useAct(projectId: string): (recordingIds: readonly string[], act: Act) => void {
  const { mutate } = useMutation({
    mutationFn: ({ recordingIds, act }: { recordingIds: readonly string[]; act: Act }) =>
      told(
        api.POST('/api/projects/{project_id}/acts', {
          params: { path: { project_id: projectId } },
          body: { recording_ids: [...recordingIds], act },
        }),
      ),
    onSuccess: ({ words }) => {
      if (words) sayProblem(words)
    },
  })
  return (recordingIds, act) => mutate({ recordingIds, act })
}
