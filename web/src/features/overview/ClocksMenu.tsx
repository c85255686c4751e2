import { Button, Menu, Portal } from '@chakra-ui/react'
import { useMutation } from '@tanstack/react-query'
import { api, told, type Project } from '../../api/client'
import { sayProblem } from '../../ui/problems'

/** The measured clocks of all recordings at once, as one change. */
export function ClocksMenu({ project }: { project: Project }) {
  const use = useMutation({
    mutationFn: (use: 'measured' | 'none') =>
      told(api.POST('/api/projects/{project_id}/clocks', { params: { path: { project_id: project.id } }, body: { use } })),
    onSuccess: (changed) => changed === 0 && sayProblem('All clocks are so already: nothing was changed.'),
  })
  return (
    <Menu.Root>
      <Menu.Trigger asChild>
        <Button size="xs" variant="outline" disabled={!project.recordings.some((one) => one.map)} loading={use.isPending}>
          Clocks
        </Button>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content bg="bg.panel">
            <Menu.Item value="measured" onClick={() => use.mutate('measured')}>
              Use the measured clock of all
            </Menu.Item>
            <Menu.Item value="none" onClick={() => use.mutate('none')}>
              Leave the clocks of all alone
            </Menu.Item>
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  )
}
