import { Button, Menu, Portal } from '@chakra-ui/react'
import { useMutation } from '@tanstack/react-query'
import { api, told, type Project } from '../../api/client'
import { sayProblem } from '../../ui/problems'

/** Loudness that is delivered for broadcasting (EBU R 128), and for what is heard on the way. */
const TARGETS_LUFS = [-23, -16] as const

/** All recordings to one loudness, as one change; no true peak goes over −1 dBTP. */
export function LevelsMenu({ project }: { project: Project }) {
  const match = useMutation({
    mutationFn: (target_lufs: number | null) =>
      told(
        api.POST('/api/projects/{project_id}/levels', {
          params: { path: { project_id: project.id } },
          body: { target_lufs },
        }),
      ),
    onSuccess: (changed) => changed === 0 && sayProblem('All levels are so already: nothing was changed.'),
  })
  return (
    <Menu.Root>
      <Menu.Trigger asChild>
        <Button
          size="xs"
          variant="outline"
          disabled={!project.recordings.some((one) => one.map)}
          loading={match.isPending}
          title="Match loudness; no true peak goes over −1 dBTP"
        >
          Levels
        </Button>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content bg="bg.panel">
            <Menu.Item value="reference" onClick={() => match.mutate(null)}>
              As loud as the reference
            </Menu.Item>
            {TARGETS_LUFS.map((target) => (
              <Menu.Item key={target} value={String(target)} onClick={() => match.mutate(target)}>
                All to −{-target} LUFS
              </Menu.Item>
            ))}
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  )
}
