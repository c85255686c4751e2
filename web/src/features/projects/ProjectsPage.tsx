import { Box, Button, Field, Flex, Heading, Input, NativeSelect, Stack, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useLocation } from 'wouter'
import { api, told, type FrameRate, type ProjectSummary } from '../../api/client'
import { frameRatesOptions, projectsOptions } from '../../api/queries'
import { Page } from '../../ui/Page'
import { ask } from '../../ui/Confirm'
import { TopBar } from '../../ui/TopBar'
import { recordingCount } from '../../time/times'

const RATE_KEY = 'gullywind-frames-a-second'

export function ProjectsPage() {
  const { data: projects, error, isPending } = useQuery({ ...projectsOptions(), refetchInterval: 5000 })
  return (
    <Page name="Projects">
      <TopBar
        left={
          <Heading as="h1" size="md">
            Gullywind
          </Heading>
        }
      />
      <Box flex="1" overflowY="auto">
        <Box maxW="880px" mx="auto" px="6" py="8">
          <Text fontFamily="sentence" fontSize="2xl" mb="6">
            Recordings of one event, in step with one reference.
          </Text>
          <NewProject />
          {error && (
            <Text role="alert" color="ochre.fg" mt="6">
              {error.message}
            </Text>
          )}
          {!isPending && !error && projects?.length === 0 && (
            <Text color="fg.muted" mt="8">
              No project yet. Give the event a name above; then drop in its recordings.
            </Text>
          )}
          <Stack gap="0" mt="8">
            {projects?.map((one) => (
              <ProjectLine key={one.id} project={one} />
            ))}
          </Stack>
          <Room />
        </Box>
      </Box>
    </Page>
  )
}

/** What takes room on the disk, and what can be made free. */
function Room() {
  const client = useQueryClient()
  const { data: room } = useQuery({ queryKey: ['room'], queryFn: () => told(api.GET('/api/room')) })
  const free = useMutation({
    mutationFn: () => told(api.POST('/api/room/freeing')),
    onSuccess: (now) => client.setQueryData(['room'], now),
  })
  const forget = useMutation({
    mutationFn: () => told(api.POST('/api/room/forgetting')),
    onSuccess: (now) => client.setQueryData(['room'], now),
  })
  const askToForget = (): void =>
    ask({
      title: 'Delete removed recordings for good?',
      text: 'Undo cannot bring them back any more. They go by themselves a week after they were removed.',
      act: 'Delete them',
      keep: 'Keep them',
      then: () => forget.mutate(),
    })
  if (!room || room.originals + room.derived + room.deliveries === 0) return null
  return (
    <Flex mt="10" pt="3" borderTopWidth="1px" gap="3" align="center" fontSize="sm" color="fg.muted" flexWrap="wrap" data-testid="room">
      <Text>{room.words}</Text>
      <Box flex="1" />
      <Button
        size="2xs"
        variant="outline"
        disabled={!room.can_free}
        title={room.can_free ? 'It is made again when it is needed' : 'Nothing is kept that could be made again'}
        loading={free.isPending}
        onClick={() => free.mutate()}
      >
        Free what can be made again
      </Button>
      {room.removed_words && (
        <Flex w="100%" gap="3" align="center">
          <Text>{room.removed_words}</Text>
          <Box flex="1" />
          <Button size="2xs" variant="outline" loading={forget.isPending} onClick={askToForget}>
            Delete them for good
          </Button>
        </Flex>
      )}
    </Flex>
  )
}

function NewProject() {
  const [name, setName] = useState('')
  const [rate, setRate] = useState(() => (localStorage.getItem(RATE_KEY) as FrameRate | null) ?? '25')
  const { data: rates } = useQuery({ ...frameRatesOptions(), staleTime: Infinity })
  const [, go] = useLocation()
  const create = useMutation({
    mutationFn: () => told(api.POST('/api/projects', { body: { name, frame_rate: rate } })),
    onSuccess: (project) => go(`/projects/${project.id}`),
  })
  return (
    <Flex
      as="form"
      gap="3"
      align="flex-end"
      onSubmit={(event) => {
        event.preventDefault()
        localStorage.setItem(RATE_KEY, rate)
        create.mutate()
      }}
    >
      <Field.Root flex="1">
        <Field.Label>New project</Field.Label>
        <Input size="sm" placeholder="Name of the event" value={name} onChange={(e) => setName(e.target.value)} bg="bg.panel" />
      </Field.Root>
      <Field.Root w="150px">
        <Field.Label>Frames a second</Field.Label>
        <NativeSelect.Root size="sm">
          <NativeSelect.Field value={rate} onChange={(e) => setRate(e.target.value as FrameRate)} bg="bg.panel">
            {rates?.map((one) => (
              <option key={one.rate} value={one.rate}>
                {one.name}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      </Field.Root>
      <Button type="submit" size="sm" disabled={!name.trim() || create.isPending}>
        Start
      </Button>
    </Flex>
  )
}

function ProjectLine({ project }: { project: ProjectSummary }) {
  const client = useQueryClient()
  const [asked, setAsked] = useState(false)
  const remove = useMutation({
    mutationFn: () => told(api.DELETE('/api/projects/{project_id}', { params: { path: { project_id: project.id } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ['projects'] }),
  })
  const others = Math.max(project.recordings - 1, 0)
  const share = others ? project.placed / others : 0
  return (
    <Flex align="center" gap="4" py="3" borderTopWidth="1px" className="group">
      <Box flex="1" minW="0">
        <Text asChild fontWeight="600" _hover={{ textDecoration: 'underline' }}>
          <Link to={`/projects/${project.id}`}>{project.name}</Link>
        </Text>
        <Text fontSize="sm" color="fg.muted">
          {project.recordings === 0 ? 'no recordings yet' : recordingCount(project.recordings)} · {project.frame_rate.name} frames a second
        </Text>
      </Box>
      <Box w="240px">
        <Box h="6px" bg="bg.subtle" rounded="sm" overflow="hidden">
          <Box h="100%" w={`${share * 100}%`} bg="moss.solid" />
        </Box>
        <Text fontSize="xs" color="fg.muted" mt="1">
          {others ? `${project.placed} of ${others} placed` : 'nothing to place yet'}
          {project.needs_you > 0 && (
            <Text as="span" color="ochre.fg">
              {' '}
              · {project.needs_you} {project.needs_you === 1 ? 'needs' : 'need'} you
            </Text>
          )}
        </Text>
      </Box>
      {asked ? (
        <Flex gap="1">
          <Button size="xs" colorPalette="ochre" onClick={() => remove.mutate()} loading={remove.isPending}>
            Delete for good
          </Button>
          <Button size="xs" variant="ghost" onClick={() => setAsked(false)}>
            Keep
          </Button>
        </Flex>
      ) : (
        <Button size="xs" variant="ghost" color="fg.muted" onClick={() => setAsked(true)}>
          Delete
        </Button>
      )}
    </Flex>
  )
}
