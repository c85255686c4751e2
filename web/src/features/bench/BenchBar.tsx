import { Heading, IconButton, Text } from '@chakra-ui/react'
import { memo } from 'react'
import { ChevronLeft, ChevronRight, Lock, LockOpen } from 'lucide-react'
import { Crumb } from '../../ui/Crumb'
import { TopBar } from '../../ui/TopBar'
import { UndoButtons } from '../../ui/UndoButtons'
import { useBench } from './benchStore'

/** Where one is, to the recording before and the next, back and forth in what was done. */
export const BenchBar = memo(function BenchBar({ at, count, step }: { at: number; count: number; step: (by: 1 | -1) => void }) {
  const projectId = useBench((s) => s.project.id)
  const projectName = useBench((s) => s.project.name)
  const referenceName = useBench((s) => s.reference.name)
  const name = useBench((s) => s.recording.name)
  const locked = useBench((s) => s.recording.locked)
  const undo = useBench((s) => s.recording.undo)
  const redo = useBench((s) => s.recording.redo)
  const edit = useBench((s) => s.edit)
  return (
    <TopBar
      left={
        <>
          <Crumb to={`/projects/${projectId}`}>{projectName}</Crumb>
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
          <Heading as="h1" size="md" truncate title={name} minW="60px">
            {name}
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
            <Text as="span" color="slate.fg" fontWeight="600" title={referenceName}>
              {referenceName}
            </Text>
          </Text>
        </>
      }
      right={
        <>
          <IconButton
            aria-label={locked ? 'Unlock (X)' : 'Lock (X)'}
            title={locked ? 'Locked: nothing moves or changes it. Unlock (X)' : 'Lock: nothing moves or changes it (X)'}
            size="2xs"
            variant={locked ? 'solid' : 'ghost'}
            onClick={() => edit({ kind: 'lock', locked: !locked })}
          >
            {locked ? <Lock /> : <LockOpen />}
          </IconButton>
          <UndoButtons undo={undo} redo={redo} step={(kind) => edit({ kind })} />
        </>
      }
    />
  )
})
