import { IconButton, Menu, Portal } from '@chakra-ui/react'
import { useMutation } from '@tanstack/react-query'
import { MoreHorizontal } from 'lucide-react'
import { useRef } from 'react'
import { api, told, type Recording } from '../../api/client'
import { useEditRecording } from '../../api/useEditRecording'
import { useUntie } from '../../api/useUntie'
import { usePlacing } from '../../api/usePlacing'
import { askForSet } from './SetDialog'

interface MenuProps {
  recording: Recording
  hasReference: boolean
  /** Whether others belong to one set with it. */
  isTied: boolean
  /** Makes a recording the reference; none in the row of the reference itself. */
  choose?: (id: string) => void
  rename: () => void
}

/** What can be done with a recording as a whole. */
export function RowMenu({ recording, hasReference, isTied, choose, rename }: MenuProps) {
  const path = { params: { path: { recording_id: recording.id } } }
  const remove = useMutation({ mutationFn: () => told(api.DELETE('/api/recordings/{recording_id}', path)) })
  const place = usePlacing(recording.project_id)
  const edit = useEditRecording()
  const setId = recording.set_id
  const untie = useUntie(recording.project_id)
  // The field opens when the menu is gone: closing, it takes the focus back.
  const toRename = useRef(false)
  const closed = (): void => {
    if (toRename.current) rename()
    toRename.current = false
  }
  return (
    <Menu.Root lazyMount unmountOnExit onExitComplete={closed}>
      <Menu.Trigger asChild>
        <IconButton aria-label={`More for ${recording.name}`} size="2xs" variant="ghost" position="absolute" right="0">
          <MoreHorizontal />
        </IconButton>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content bg="bg.panel">
            {choose && (
              <>
                <Menu.Item
                  value="place"
                  disabled={!hasReference || recording.media.state !== 'ready'}
                  onClick={() => place.mutate([recording.id])}
                >
                  Find its place again
                </Menu.Item>
                <Menu.Item value="reference" disabled={recording.media.state !== 'ready'} onClick={() => choose(recording.id)}>
                  Make it the reference
                </Menu.Item>
                <Menu.Item value="lock" onClick={() => edit(recording, { kind: 'lock', locked: !recording.locked })}>
                  {recording.locked ? 'Unlock' : 'Lock: nothing moves or changes it'}
                </Menu.Item>
              </>
            )}
            {isTied && setId !== null ? (
              <Menu.Item value="untie" onClick={() => untie.mutate(setId)}>
                Take its set apart
              </Menu.Item>
            ) : (
              <Menu.Item value="tie" disabled={recording.media.state !== 'ready'} onClick={() => askForSet(recording)}>
                Tie as a set with …
              </Menu.Item>
            )}
            <Menu.Item value="rename" onClick={() => (toRename.current = true)}>
              Rename
            </Menu.Item>
            <Menu.Item value="remove" onClick={() => remove.mutate()}>
              Remove from the project
            </Menu.Item>
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  )
}
