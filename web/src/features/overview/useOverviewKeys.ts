import { useEffect, useRef } from 'react'
import type { Project, Recording } from '../../api/client'
import { useEditRecording } from '../../api/useEditRecording'
import { player } from '../../listening/player'
import { WAYS, type Way } from '../../listening/ways'
import { onKeys } from '../../ui/keys'
import { sayProblem } from '../../ui/problems'
import { chooseThese } from './chosen'
import { hearNextRival, triedRival, useRival } from './rivals'

/** Keys of the overview but for those of its time; the list on "?" must say the same. */
export function useOverviewKeys(project: Project, shown: readonly Recording[], ways: readonly Way[]): void {
  const latest = useRef({ project, shown })
  latest.current = { project, shown }
  const edit = useEditRecording()
  useEffect(() => {
    /** Do something with the recording whose place is heard; without one say how to hear one. */
    const withRival = (act: (recording: Recording, index: number) => void): void => {
      const rival = triedRival(latest.current.project)
      if (!rival) return sayProblem('Hear a place first: N plays the next one of what waits in the tray.')
      useRival.setState({ heard: null })
      act(...rival)
    }
    return onKeys({
      Space: () => {
        useRival.setState({ heard: null })
        player.toggle()
      },
      n: () => hearNextRival(latest.current.project),
      t: () => withRival((recording, index) => edit(recording, { kind: 'take', index })),
      d: () => withRival((recording) => edit(recording, { kind: 'set-aside', aside: true })),
      '$mod+a': () => chooseThese(latest.current.shown.map((one) => one.id)),
      ...Object.fromEntries(WAYS.filter((w) => ways.includes(w.way)).map((w) => [w.key, () => player.setWay(w.way)])),
    })
  }, [edit, ways])
}
