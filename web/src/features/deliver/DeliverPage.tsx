import { Box, Button, Flex, Heading, Link as TextLink, Stack, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, told, type Delivery, type Project } from '../../api/client'
import { deliveriesOptions, projectOptions } from '../../api/queries'
import { useProjectEvents } from '../../api/useProjectEvents'
import { Crumb } from '../../ui/Crumb'
import { Choice } from '../../ui/Choice'
import { Gone } from '../../ui/Gone'
import { Page } from '../../ui/Page'
import { TopBar } from '../../ui/TopBar'
import { clock } from '../../time/times'
import { PictureTable } from './PictureTable'

const FORMS = [
  { form: 'pcm24', label: 'WAV, 24-bit', hint: 'what every editing program reads' },
  { form: 'float32', label: 'WAV, 32-bit float', hint: 'nothing can clip on the way' },
  { form: 'flac24', label: 'FLAC, 24-bit', hint: 'the same sound in about half the room' },
] as const
type Form = (typeof FORMS)[number]['form']
const FORM_KEY = 'gullywind-form'
const rememberedForm = (): Form => FORMS.find((one) => one.form === localStorage.getItem(FORM_KEY))?.form ?? 'pcm24'

export function DeliverPage({ projectId }: { projectId: string }) {
  useProjectEvents(projectId)
  const client = useQueryClient()
  const { data: project, error } = useQuery(projectOptions(projectId))
  const { data: deliveries } = useQuery(deliveriesOptions(projectId))
  const [form, setForm] = useState<Form>(rememberedForm)
  const write = useMutation({
    mutationFn: (recordingIds: string[] | null) =>
      told(
        api.POST('/api/projects/{project_id}/deliveries', {
          params: { path: { project_id: projectId } },
          body: { recording_ids: recordingIds, form },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ['deliveries', projectId] }),
  })
  if (error) return <Gone words={error.message} />
  if (!project) return null
  const reference = project.recordings.find((one) => one.id === project.reference_id)
  const placed = project.recordings.filter((one) => one.map?.kept)
  const scratch = project.recordings.filter((one) => one.map && !one.map.kept)
  return (
    <Page name={`Deliver · ${project.name}`}>
      <TopBar
        left={
          <>
            <Crumb to="/">Projects</Crumb>
            <Crumb to={`/projects/${projectId}`}>{project.name}</Crumb>
            <Heading as="h1" size="md">
              Deliver
            </Heading>
          </>
        }
      />
      <Box flex="1" overflowY="auto">
        <Flex maxW="1120px" mx="auto" px="6" py="6" gap="12" align="flex-start">
          <Box flex="1.2">
            <PictureTable project={project} />
            <Text fontFamily="sentence" fontSize="xl" mb="1">
              Files that drop in at zero.
            </Text>
            <Text color="fg.muted" mb="5">
              Each starts with the reference and is as long as it
              {reference?.media.duration_s
                ? ` (${clock(reference.media.duration_s)}, ${(reference.media.sample_rate_hz ?? 0) / 1000} kHz)`
                : ''}
              , with its time reference inside. Lay them on tracks of their own, all at the reference's start.
            </Text>
            <Choice
              label="Form of the files"
              options={FORMS.map((one) => ({ value: one.form, label: one.label, title: one.hint }))}
              value={form}
              choose={(chosen) => {
                localStorage.setItem(FORM_KEY, chosen)
                setForm(chosen)
              }}
              button={{ size: 'sm' }}
              rest="outline"
              gap="2"
              mb="5"
            />
            <Button
              size="sm"
              colorPalette="slate"
              disabled={!placed.length}
              title={placed.length ? undefined : scratch.length ? 'All that is placed is scratch sound' : 'Nothing is placed yet'}
              loading={write.isPending}
              onClick={() => write.mutate(null)}
            >
              Write all {placed.length} as a ZIP, with the report
            </Button>
            <Stack gap="0" mt="6">
              {placed.map((one) => (
                <Flex key={one.id} align="center" py="1.5" borderTopWidth="1px" gap="3">
                  <Text flex="1" fontSize="sm" truncate>
                    {one.name}
                    {one.status === 'unsure' && (
                      <Text as="span" color="ochre.fg">
                        {' '}
                        · unsure
                      </Text>
                    )}
                  </Text>
                  <Button size="2xs" variant="outline" onClick={() => write.mutate([one.id])}>
                    Write this one
                  </Button>
                </Flex>
              ))}
            </Stack>
            {scratch.length > 0 && (
              <Text fontSize="sm" color="fg.muted" borderTopWidth="1px" pt="1.5" data-testid="scratch">
                Kept as scratch sound, not written: {scratch.map((one) => one.name).join(', ')}.
              </Text>
            )}
          </Box>
          <Box flex="1">
            <Text fontWeight="600" mb="2">
              Written
            </Text>
            {deliveries?.length === 0 && (
              <Text fontSize="sm" color="fg.muted">
                Nothing yet. What you write waits here to be downloaded.
              </Text>
            )}
            <Stack gap="0">
              {deliveries?.map((one) => (
                <DeliveryLine key={one.id} delivery={one} project={project} />
              ))}
            </Stack>
            <Text fontWeight="600" mt="8" mb="2">
              Report
            </Text>
            <Text fontSize="sm" color="fg.muted" mb="2">
              Offsets, clocks, confidence and what is left over with its trace, as they are now.
            </Text>
            <Flex gap="4" fontSize="sm">
              <TextLink href={`/api/projects/${projectId}/report.html`} target="_blank">
                to print
              </TextLink>
              <TextLink href={`/api/projects/${projectId}/report.csv`}>report.csv</TextLink>
              <TextLink href={`/api/projects/${projectId}/report.json`} target="_blank">
                report.json
              </TextLink>
            </Flex>
          </Box>
        </Flex>
      </Box>
    </Page>
  )
}

function DeliveryLine({ delivery, project }: { delivery: Delivery; project: Project }) {
  const work = project.works.find((w) => w.id === delivery.work_id)
  const stop = useMutation({
    mutationFn: () => told(api.DELETE('/api/works/{work_id}', { params: { path: { work_id: delivery.work_id } } })),
  })
  const name = project.recordings.find((one) => one.id === delivery.recording_id)?.name ?? 'several, as a ZIP'
  return (
    <Flex align="center" py="1.5" borderTopWidth="1px" gap="3" fontSize="sm" data-testid="delivery">
      <Box flex="1" minW="0">
        <Text truncate title={delivery.file_name ?? name}>
          {delivery.file_name ?? name}
        </Text>
        {delivery.ready && delivery.message && (
          <Text fontSize="xs" color="ochre.fg">
            {delivery.message}
          </Text>
        )}
      </Box>
      {delivery.ready ? (
        <Button asChild size="2xs" colorPalette="slate">
          <a href={`/api/deliveries/${delivery.id}/file`} download>
            Download
          </a>
        </Button>
      ) : work ? (
        <>
          <Text color="fg.muted">{work.state === 'queued' ? 'waits its turn' : `writing … ${Math.round(work.fraction_done * 100)} %`}</Text>
          <Button size="2xs" variant="ghost" onClick={() => stop.mutate()}>
            Stop
          </Button>
        </>
      ) : (
        <Text color="ochre.fg">{delivery.message ?? 'stopped'}</Text>
      )}
    </Flex>
  )
}
