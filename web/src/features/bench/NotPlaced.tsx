import { Button, Flex, Text } from '@chakra-ui/react'
import type { Project, Recording } from '../../api/client'
import { usePlacing } from '../../api/usePlacing'

/** Teaches what can be done with a recording that has no place. */
export function NotPlaced({ project, recording }: { project: Project; recording: Recording }) {
  const busy = project.works.find((w) => w.recording_id === recording.id && w.kind === 'place')
  const place = usePlacing(project.id, recording.id)
  return (
    <Flex
      flex="1"
      direction="column"
      align="center"
      justify="center"
      gap="3"
      borderWidth="1px"
      borderStyle="dashed"
      borderColor="border.emphasized"
    >
      <Text color="fg.muted">
        {recording.status === 'unplaced'
          ? 'It was looked for everywhere. If you know better, try one of the places at the right.'
          : 'It can be found by its sound.'}
      </Text>
      <Button size="sm" onClick={() => place.mutate()} disabled={busy !== undefined} loading={place.isPending}>
        {busy
          ? `finding its place … ${Math.round(busy.fraction_done * 100)} %`
          : recording.status === 'unplaced'
            ? 'Look again'
            : 'Find its place'}
      </Button>
    </Flex>
  )
}
