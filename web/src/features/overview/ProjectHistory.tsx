import { CloseButton, Dialog, IconButton, Portal } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { History } from 'lucide-react'
import { useEffect, useState } from 'react'
import { api, told, type Project } from '../../api/client'
import { changesOptions, putProject } from '../../api/queries'
import { onKeys } from '../../ui/keys'
import { Steps } from '../../ui/Steps'
import { UndoButtons } from '../../ui/UndoButtons'

type Wish = { kind: 'undo' | 'redo' } | { kind: 'go'; number: number }

/** Back and forth in all that was done to the project, to one recording or to many at once. */
export function ProjectHistory({ project }: { project: Project }) {
  const client = useQueryClient()
  const [open, setOpen] = useState(false)
  const step = useMutation({
    // One after the other, in the order in which they were asked for.
    scope: { id: `history-${project.id}` },
    mutationFn: (body: Wish) =>
      told(api.POST('/api/projects/{project_id}/changes', { params: { path: { project_id: project.id } }, body })),
    onSuccess: (changed) => putProject(client, changed),
  })
  const { mutate } = step
  useEffect(
    () =>
      onKeys({
        '$mod+z': () => mutate({ kind: 'undo' }),
        '$mod+Shift+z': () => mutate({ kind: 'redo' }),
        '$mod+y': () => mutate({ kind: 'redo' }),
      }),
    [mutate],
  )
  const seen = `${project.undo}|${project.redo}|${project.version}|${project.recordings.map((one) => one.version).join()}`
  const { data: changes } = useQuery({ ...changesOptions(project.id, null, seen), enabled: open })
  const nothing = project.undo === null && project.redo === null
  return (
    <>
      <UndoButtons compact undo={project.undo} redo={project.redo} step={(kind) => mutate({ kind })} />
      <IconButton
        aria-label="What was done"
        title={nothing ? 'Nothing was done yet' : 'All that was done; go back to any of it'}
        size="xs"
        variant="outline"
        flexShrink={0}
        disabled={nothing}
        onClick={() => setOpen(true)}
      >
        <History />
      </IconButton>
      <Dialog.Root open={open} onOpenChange={(e) => setOpen(e.open)} size="sm" scrollBehavior="inside">
        <Portal>
          <Dialog.Backdrop />
          <Dialog.Positioner>
            <Dialog.Content bg="bg.panel">
              <Dialog.Header>
                <Dialog.Title>What was done</Dialog.Title>
              </Dialog.Header>
              <Dialog.Body pb="4">
                {changes && <Steps maxH="60vh" steps={changes} go={(number) => mutate({ kind: 'go', number })} />}
              </Dialog.Body>
              <Dialog.CloseTrigger asChild>
                <CloseButton size="sm" />
              </Dialog.CloseTrigger>
            </Dialog.Content>
          </Dialog.Positioner>
        </Portal>
      </Dialog.Root>
    </>
  )
}
