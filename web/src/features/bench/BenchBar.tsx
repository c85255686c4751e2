import { Heading, IconButton, Text } from '@chakra-ui/react'
import { ChevronLeft, ChevronRight, Lock, LockOpen } from 'lucide-react'
import { Crumb } from '../../ui/Crumb'
import { TopBar } from '../../ui/TopBar'
import { UndoButtons } from '../../ui/UndoButtons'
import { useBench } from './benchStore'

/** Where one is, to the recording before and the next, back and forth in what was done. */
export function BenchBar({ at, count, step }: { at: number; count: number; step: (by: 1 | -1) => void }) {
  const project = useBench((s) => s.project)
  const reference = useBench((s) => s.reference)
  const recording = useBench((s) => s.recording)
  const edit = useBench((s) => s.edit)
  return (
    <TopBar
      left={
        <>
          <Crumb to={`/projects/${project.id}`}>{project.name}</Crumb>
          <IconButton
            aria-label="Recording before (K)"
            title="Recording before (K)"
            size="2xs"
            variant="outline"
            rounded="full"
            disabled={at <= 0}
            onClick={() => step(-1)}
          >
            <ChevronLeft />
          </IconButton>
          <Heading as="h1" size="md" truncate title={recording.name} minW="60px">
            {recording.name}
          </Heading>
          <IconButton
            aria-label="Next recording (J)"
            title="Next recording (J)"
            size="2xs"
            variant="outline"
            rounded="full"
            disabled={at >= count - 1}
            onClick={() => step(1)}
          >
            <ChevronRight />
          </IconButton>
          <Text fontSize="sm" color="fg.muted" truncate minW="0">
            {at + 1} of {count} · against{' '}
            <Text as="span" color="slate.fg" fontWeight="600" title={reference.name}>
              {reference.name}
            </Text>
          </Text>
        </>
      }
      right={
        <>
          <IconButton
            aria-label={recording.locked ? 'Unlock (X)' : 'Lock (X)'}
            title={recording.locked ? 'Locked: nothing moves or changes it. Unlock (X)' : 'Lock: nothing moves or changes it (X)'}
            size="2xs"
            variant={recording.locked ? 'solid' : 'ghost'}
            onClick={() => edit({ kind: 'lock', locked: !recording.locked })}
          >
            {recording.locked ? <Lock /> : <LockOpen />}
          </IconButton>
          <UndoButtons undo={recording.undo} redo={recording.redo} step={(kind) => edit({ kind })} />
        </>
      }
    />
  )
}
