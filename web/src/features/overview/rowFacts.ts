import type { Recording, Work } from '../../api/client'

/** What is being done with each recording, by its id, as far as its row shows it. */
export function shownWorks(works: readonly Work[]): Map<string, Work> {
  const shown = works.filter((one) => one.kind !== 'prove' && one.state !== 'failed')
  // Of several the first is shown.
  return new Map(shown.reverse().flatMap((one) => (one.recording_id === null ? [] : [[one.recording_id, one]])))
}

/** Tells of each recording whether others belong to one set with it. */
export function tied(recordings: readonly Recording[]): (recording: Recording) => boolean {
  const members = new Map<string, number>()
  for (const { set_id } of recordings) if (set_id !== null) members.set(set_id, (members.get(set_id) ?? 0) + 1)
  return ({ set_id }) => set_id !== null && members.get(set_id)! > 1
}
