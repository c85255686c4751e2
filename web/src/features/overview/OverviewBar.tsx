import { Button, Heading, Text } from '@chakra-ui/react'
import { useMutation } from '@tanstack/react-query'
import { useLocation } from 'wouter'
import { api, told, type Project } from '../../api/client'
import { Crumb } from '../../ui/Crumb'
import { TopBar } from '../../ui/TopBar'
import { recordingCount } from '../../time/times'
import { ClocksMenu } from './ClocksMenu'
import { LevelsMenu } from './LevelsMenu'
import { useFolders } from './FolderDialog'
import { ProjectHistory } from './ProjectHistory'

/** What can be done with the whole project. */
export function OverviewBar({ project, add }: { project: Project; add: () => void }) {
  const [, go] = useLocation()
  const place = useMutation({
    mutationFn: () => told(api.POST('/api/projects/{project_id}/alignments', { params: { path: { project_id: project.id } }, body: {} })),
  })
  const fromFolder = useFolders()
  const busy = project.works.filter((w) => w.kind === 'place')
  const stop = useMutation({
    mutationFn: () => Promise.all(busy.map((w) => told(api.DELETE('/api/works/{work_id}', { params: { path: { work_id: w.id } } })))),
  })
  const waiting = project.unplaced_count
  const primary = project.reference_id !== null && waiting > 0
  return (
    <TopBar
      left={
        <>
          <Crumb to="/">Projects</Crumb>
          <Heading as="h1" size="md" truncate title={project.name}>
            {project.name}
          </Heading>
          <Text fontSize="sm" color="fg.muted" truncate minW="0" data-testid="batch">
            {project.batch
              ? project.batch.words
              : `${recordingCount(project.recordings.length)} · ${project.frame_rate.name} frames a second`}
          </Text>
        </>
      }
      right={
        <>
          <ProjectHistory project={project} />
          <Button size="xs" variant="outline" onClick={add}>
            Add recordings
          </Button>
          {fromFolder && (
            <Button size="xs" variant="outline" onClick={fromFolder} title="Without a copy: files on the machine that this runs on">
              From a folder
            </Button>
          )}
          <ClocksMenu project={project} />
          <LevelsMenu project={project} />
          <Button
            size="xs"
            variant="outline"
            disabled={!project.recordings.some((one) => one.map)}
            title={project.recordings.some((one) => one.map) ? undefined : 'Nothing is placed yet'}
            onClick={() => go(`/projects/${project.id}/deliver`)}
          >
            Deliver
          </Button>
          {busy.length > 0 ? (
            <Button size="xs" variant="solid" onClick={() => stop.mutate()} loading={stop.isPending}>
              Stop looking for {busy.length}
            </Button>
          ) : waiting === 0 && project.reference_id !== null && project.recordings.length > 1 ? (
            <Text fontSize="sm" color="fg.muted" whiteSpace="nowrap" role="status">
              all looked for
            </Text>
          ) : (
            <Button
              size="xs"
              variant="solid"
              disabled={!primary}
              title={primary ? undefined : project.reference_id === null ? 'Choose the reference first' : 'Bring in recordings first'}
              loading={place.isPending}
              onClick={() => place.mutate()}
            >
              {waiting > 0 ? `Find the place of ${waiting}` : 'Find the places'}
            </Button>
          )}
        </>
      }
    />
  )
}
