import { useMutation } from '@tanstack/react-query'
import { api, told, type Act } from '../../api/client'
import { sayProblem } from '../../ui/problems'

/** So many are named of those to which nothing was done. */
const MOST_NAMED = 3

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
    onSuccess: ({ left }) => {
      if (!left.length) return
      const named = left.slice(0, MOST_NAMED).map((one) => `${one.name} (${one.reason.replace(/\.$/, '')})`)
      const more = left.length > MOST_NAMED ? ` and ${left.length - MOST_NAMED} more` : ''
      sayProblem(`Left as it is: ${named.join(', ')}${more}.`)
    },
  })
  return (recordingIds, act) => mutate({ recordingIds, act })
}
