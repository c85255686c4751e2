import { Button, Checkbox, CloseButton, Dialog, Flex, Portal, Text } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { create } from 'zustand'
import { api, told, type Project, type Recording } from '../../api/client'
import { clock } from '../../time/times'
import { Choice } from '../../ui/Choice'

const useSetDialog = create<{ first: Recording | null; open: boolean }>(() => ({ first: null, open: false }))

/** Ask what else was made together with a recording. */
export const askForSet = (first: Recording): void => useSetDialog.setState({ first, open: true })

const FORMS = [
  { value: 'together', label: 'Microphones of one recorder' },
  { value: 'after', label: 'Parts of one file, in this order' },
] as const

/** Recordings that a person ties by hand. */
export function SetDialog({ project }: { project: Project }) {
  const { first, open } = useSetDialog()
  return (
    <Dialog.Root open={open} onOpenChange={(e) => useSetDialog.setState({ open: e.open })} size="md" lazyMount unmountOnExit>
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="bg.panel">
            {first && <Contents project={project} first={first} close={() => useSetDialog.setState({ open: false })} />}
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}

function Contents({ project, first, close }: { project: Project; first: Recording; close: () => void }) {
  const client = useQueryClient()
  const [chosen, choose] = useState<readonly string[]>([])
  const [form, setForm] = useState<(typeof FORMS)[number]['value']>('together')
  const others = project.recordings
    .filter((one) => one.id !== first.id && one.set_id === null && one.media.state === 'ready')
    .sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }))
  const tie = useMutation({
    mutationFn: () => {
      const names = new Map(project.recordings.map((one) => [one.id, one.name]))
      const ids = [first.id, ...chosen].sort((a, b) => names.get(a)!.localeCompare(names.get(b)!, undefined, { numeric: true }))
      return told(
        api.POST('/api/projects/{project_id}/sets', {
          params: { path: { project_id: project.id } },
          body: { recording_ids: ids, one_after_another: form === 'after' },
        }),
      )
    },
    onSuccess: close,
    onSettled: () => client.invalidateQueries({ queryKey: ['sets', project.id] }),
  })
  return (
    <>
      <Dialog.Header pb="2">
        <Dialog.Title>What was made together with {first.name}?</Dialog.Title>
        <Dialog.CloseTrigger asChild>
          <CloseButton size="sm" />
        </Dialog.CloseTrigger>
      </Dialog.Header>
      <Dialog.Body>
        <Text fontSize="sm" color="fg.muted" mb="3">
          A set moves as one: its recordings keep their relation to the sample, and how each sounds stays its own.
        </Text>
        <Choice label="What they are" options={FORMS} value={form} choose={setForm} rest="outline" button={{ size: 'xs' }} gap="2" mb="3" />
        <Flex direction="column" gap="1" maxH="280px" overflowY="auto" borderWidth="1px" rounded="md" p="2">
          {others.map((one) => (
            <Checkbox.Root
              key={one.id}
              size="sm"
              checked={chosen.includes(one.id)}
              onCheckedChange={(e) => choose(e.checked ? [...chosen, one.id] : chosen.filter((id) => id !== one.id))}
            >
              <Checkbox.HiddenInput />
              <Checkbox.Control />
              <Checkbox.Label fontWeight="normal">
                {one.name}{' '}
                <Text as="span" color="fg.muted">
                  {clock(one.media.duration_s ?? 0, 3)}
                </Text>
              </Checkbox.Label>
            </Checkbox.Root>
          ))}
          {others.length === 0 && (
            <Text fontSize="sm" color="fg.muted">
              All other recordings are in sets already.
            </Text>
          )}
        </Flex>
      </Dialog.Body>
      <Dialog.Footer>
        <Button size="sm" variant="outline" onClick={close}>
          Cancel
        </Button>
        <Button
          size="sm"
          disabled={chosen.length === 0}
          title={chosen.length ? undefined : 'Choose at least one'}
          loading={tie.isPending}
          onClick={() => tie.mutate()}
        >
          {chosen.length ? `Tie ${chosen.length + 1} as a set` : 'Tie as a set'}
        </Button>
      </Dialog.Footer>
    </>
  )
}
