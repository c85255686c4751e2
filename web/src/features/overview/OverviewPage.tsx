import { Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useEffect } from 'react'
import { useDropzone } from 'react-dropzone'
import { useLocation } from 'wouter'
import { projectOptions } from '../../api/queries'
import { useBatchNotice } from '../../ui/useBatchNotice'
import { uploadAll } from '../../api/upload'
import { useProjectEvents } from '../../api/useProjectEvents'
import { Gone } from '../../ui/Gone'
import { onKeys } from '../../ui/keys'
import { Page } from '../../ui/Page'
import { clearChosen, useChosen } from './chosen'
import { EmptyProject } from './EmptyProject'
import { FolderDialog } from './FolderDialog'
import { OverviewBar } from './OverviewBar'
import { RecordingTable } from './RecordingTable'

export function OverviewPage({ projectId }: { projectId: string }) {
  useProjectEvents(projectId)
  const { data: project, error } = useQuery(projectOptions(projectId))
  const drop = useDropzone({ onDrop: (files) => void uploadAll(projectId, files), noClick: true, noKeyboard: true })
  const [, go] = useLocation()
  const add = drop.open
  const batch = useBatchNotice(project)
  useEffect(
    () =>
      onKeys({
        a: add,
        // What is innermost first.
        Escape: () => (useChosen.getState().ids.size ? clearChosen() : go('/')),
      }),
    [add, go],
  )
  useEffect(() => clearChosen, [projectId])
  if (error) return <Gone words={error.message} />
  if (!project) return null
  return (
    <Page name={`${batch}${project.name}`} {...drop.getRootProps({ role: 'main' })} position="relative">
      <input {...drop.getInputProps()} data-testid="file-input" />
      <OverviewBar project={project} add={add} />
      {project.recordings.length === 0 ? <EmptyProject projectId={project.id} add={add} /> : <RecordingTable project={project} />}
      <FolderDialog projectId={project.id} />
      {drop.isDragActive && (
        <Flex
          position="absolute"
          inset="3"
          bg="bg.panel/90"
          borderWidth="2px"
          borderStyle="dashed"
          borderColor="slate.solid"
          rounded="lg"
          align="center"
          justify="center"
          zIndex="overlay"
        >
          <Text fontFamily="sentence" fontSize="2xl">
            Let go to bring them in
          </Text>
        </Flex>
      )}
    </Page>
  )
}
