import { Button, Flex, Text } from '@chakra-ui/react'
import type { Project, Recording } from '../../api/client'
import { useMatching } from '../../api/useMatching'
import { usePlacing } from '../../api/usePlacing'
import { player } from '../../listening/player'
import { useBench } from './benchStore'

/** Teaches what can be done with a recording that has no place. */
export function NotPlaced({ project, recording }: { project: Project; recording: Recording }) {
  const work = (kind: 'place' | 'match') =>
    project.works.find((w) => w.recording_id === recording.id && w.kind === kind && w.state !== 'failed')
  const busy = work('place')
  const place = usePlacing(project.id)
  const match = useMatching(project.id)
  const edit = useBench((s) => s.edit)
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
        {recording.performs
          ? recording.sentence
          : recording.status === 'unplaced'
            ? 'It was looked for everywhere. It may be another performance of the part; or, if you know better, set it down, try a place at the right, or make two marks one moment.'
            : 'It can be found by its sound, or set down anywhere and moved from there.'}
      </Text>
      <Button size="sm" onClick={() => place.mutate([recording.id])} disabled={busy !== undefined} loading={place.isPending}>
        {busy
          ? `finding its place … ${Math.round(busy.fraction_done * 100)} %`
          : recording.status === 'unplaced'
            ? 'Look again'
            : 'Find its place'}
      </Button>
      <Button size="sm" variant="outline" onClick={() => edit({ kind: 'move', offset_s: player.positionS() })}>
        Set it down at the playhead
      </Button>
      <Button
        size="sm"
        variant={recording.performs ? 'solid' : 'outline'}
        order={recording.performs ? -1 : undefined}
        loading={match.isPending}
        disabled={work('match') !== undefined}
        onClick={() => match.mutate({ recordingIds: [recording.id] })}
      >
        Follow it as another performance
      </Button>
    </Flex>
  )
}
