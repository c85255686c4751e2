import { Box, Flex, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { useDropzone } from 'react-dropzone'
import { useLocation } from 'wouter'
import { api, told, type Project } from '../../api/client'
import { projectOptions } from '../../api/queries'
import { uploadAll } from '../../api/upload'
import { useProjectEvents } from '../../api/useProjectEvents'
import { ask } from '../../ui/Confirm'
import { Gone } from '../../ui/Gone'
import { onKeys } from '../../ui/keys'
import { Page } from '../../ui/Page'
import { clock } from '../../ui/times'
import { ticks, timeAt, xOf, type Viewport } from '../bench/geometry/viewport'
import { ListeningBar } from '../listening/ListeningBar'
import { player, WAYS, type Track, type Way } from '../listening/player'
import { usePlayhead } from '../listening/usePlayhead'
import { EmptyProject } from './EmptyProject'
import { OverviewBar } from './OverviewBar'
import { FACTS_PX, RecordingRow, ReferenceRow } from './RecordingRow'
import { inOrder, needsPerson } from './sortRecordings'
import { UploadList } from './UploadList'

const OVERVIEW_WAYS: readonly Way[] = ['reference', 'both', 'recording']
const TICK_LABEL_PX = 44

export function OverviewPage({ projectId }: { projectId: string }) {
  useProjectEvents(projectId)
  const { data: project, error } = useQuery(projectOptions(projectId))
  const drop = useDropzone({ onDrop: (files) => void uploadAll(projectId, files), noClick: true, noKeyboard: true })
  const [, go] = useLocation()
  const add = drop.open
  useEffect(() => onKeys({ a: add, Escape: () => go('/') }), [add, go])
  if (error) return <Gone words={error.message} />
  if (!project) return null
  return (
    <Page name={project.name} {...drop.getRootProps()} position="relative">
      <input {...drop.getInputProps()} data-testid="file-input" />
      <OverviewBar project={project} add={add} />
      {project.recordings.length === 0 ? <EmptyProject projectId={project.id} add={add} /> : <Table project={project} />}
      {drop.isDragActive && (
        <Flex position="absolute" inset="3" bg="bg.panel/90" borderWidth="2px" borderStyle="dashed" borderColor="slate.solid" rounded="lg" align="center" justify="center" zIndex="overlay">
          <Text fontFamily="sentence" fontSize="2xl">
            Let go to bring them in
          </Text>
        </Flex>
      )}
    </Page>
  )
}

function Table({ project }: { project: Project }) {
  const client = useQueryClient()
  const area = useRef<HTMLDivElement>(null)
  const head = useRef<HTMLDivElement>(null)
  const [widthPx, setWidthPx] = useState(800)
  const reference = project.recordings.find((one) => one.id === project.reference_id) ?? null
  const others = useMemo(() => inOrder(project.recordings.filter((one) => one.id !== project.reference_id)), [project])
  const needing = others.filter(needsPerson)
  const rest = others.filter((one) => !needsPerson(one))

  const view = useMemo((): Viewport => {
    const ends = [reference?.media.duration_s ?? 60, ...others.map((one) => one.map?.end_ref_s ?? 0)]
    const starts = [0, ...others.map((one) => one.map?.start_ref_s ?? 0)]
    const [start, end] = [Math.min(...starts), Math.max(...ends)]
    const edge = (end - start) * 0.01
    return { startS: start - edge, secondsPerPx: (end - start + 2 * edge) / widthPx }
  }, [reference, others, widthPx])

  // Not where its label would be cut off.
  const labelled = ticks(view, widthPx).timesS.filter((t) => xOf(view, t) < widthPx - TICK_LABEL_PX)

  useEffect(() => {
    if (!area.current) return
    const observer = new ResizeObserver(([entry]) => setWidthPx(Math.max(200, entry!.contentRect.width)))
    observer.observe(area.current)
    return () => observer.disconnect()
  }, [])

  const tracks = useMemo<Track[]>(() => {
    if (!reference || reference.media.state !== 'ready') return []
    const placed = others.filter((one) => one.status === 'placed')
    const tracks: Track[] = [{ recordingId: reference.id, role: 'reference', mapId: '' }]
    // However many sound together, the server mixes them.
    if (placed.length) tracks.push({ recordingId: 'all', role: 'recording', mapId: placed.map((one) => one.map?.id ?? '').join(), path: `/api/projects/${project.id}/mix` })
    return tracks
  }, [reference, others, project.id])
  useEffect(() => {
    player.setTracks(tracks, reference?.media.sample_rate_hz ?? 48000, reference?.media.duration_s ?? 0)
  }, [tracks, reference])
  useEffect(() => () => player.stop(), [])
  useEffect(
    () =>
      onKeys({
        Space: () => player.toggle(),
        ...Object.fromEntries(WAYS.filter((w) => OVERVIEW_WAYS.includes(w.way)).map((w) => [w.key, () => player.setWay(w.way)])),
      }),
    [],
  )

  const showHead = useCallback(
    (positionS: number) => {
      if (head.current) head.current.style.transform = `translateX(${xOf(view, positionS)}px)`
    },
    [view],
  )
  usePlayhead(showHead)
  const choose = useMutation({
    mutationFn: (recordingId: string) =>
      told(
        api.PATCH('/api/projects/{project_id}', {
          params: { path: { project_id: project.id } },
          body: { version: project.version, reference_id: recordingId },
        }),
      ),
    onSuccess: (changed) => client.setQueryData(['project', project.id], changed),
  })
  const chooseReference = (recordingId: string): void => {
    const found = others.filter((one) => one.map).length
    const name = project.recordings.find((one) => one.id === recordingId)?.name ?? ''
    if (!reference || found === 0) choose.mutate(recordingId)
    else
      ask({
        title: `Make ${name} the reference?`,
        text: `The ${found === 1 ? 'place that was' : `${found} places that were`} found against ${reference.name} will be forgotten, with all that was done by hand.`,
        act: 'Make it the reference',
        keep: `Keep ${reference.name}`,
        then: () => choose.mutate(recordingId),
      })
  }
  const work = (recordingId: string) => project.works.find((w) => w.recording_id === recordingId && w.kind !== 'prove')

  return (
    <>
      <Box flex="1" overflowY="auto" position="relative">
        <Flex position="sticky" top="0" bg="bg" zIndex="1" fontSize="xs" color="fg.muted" h="28px" align="flex-end">
          <Flex w={`${FACTS_PX}px`} flexShrink={0} px="4" pb="1">
            <Text w="146px">recording</Text>
            <Text w="80px" textAlign="right">starts at</Text>
            <Text w="86px" textAlign="right">clock, ppm</Text>
            <Text w="80px" textAlign="right">left over</Text>
            <Text w="72px" textAlign="right">sure</Text>
          </Flex>
          <Box
            ref={area}
            flex="1"
            mr="4"
            h="100%"
            position="relative"
            overflow="hidden"
            cursor="pointer"
            aria-label="Time in the reference; click to go there"
            onClick={(e) => player.seek(timeAt(view, e.nativeEvent.offsetX))}
          >
            {labelled.map((t) => (
              <Text key={t} position="absolute" bottom="5px" left={`${xOf(view, t)}px`} pl="1" borderLeftWidth="1px" borderColor="border.emphasized" lineHeight="1" pointerEvents="none">
                {clock(t, 0)}
              </Text>
            ))}
          </Box>
        </Flex>
        {reference ? (
          <ReferenceRow project={project} recording={reference} view={view} />
        ) : (
          <Box mx="4" my="2" p="3" bg="var(--ochre-sheet)" rounded="md">
            <Text fontFamily="sentence" fontSize="lg">
              Which of these is the reference?
            </Text>
            <Text fontSize="sm" color="fg.muted">
              The cleanest or the most complete recording: all others are lined up to it. Choose it in its row.
            </Text>
          </Box>
        )}
        {needing.length > 0 && (
          <Box bg="var(--ochre-sheet)" py="1" mb="1">
            <Text px="4" fontSize="sm" fontWeight="600" color="ochre.fg">
              Needs you
            </Text>
            {needing.map((one) => (
              <RecordingRow key={one.id} project={project} recording={one} view={view} work={work(one.id)} choose={chooseReference} />
            ))}
          </Box>
        )}
        {rest.map((one) => (
          <RecordingRow key={one.id} project={project} recording={one} view={view} work={work(one.id)} choose={chooseReference} />
        ))}
        <UploadList projectId={project.id} />
        {rest.some((one) => one.map) && (
          <Text fontSize="xs" color="fg.muted" ml={`${FACTS_PX}px`} mt="2" mb="4" position="relative" zIndex="2" bg="bg">
            lower edge of a strip: green agrees with the reference, half-high ochre does not; line in it: what is left over, ±0.5 ms
          </Text>
        )}
        {reference && (
          <Box position="absolute" top="28px" bottom="0" left={`${FACTS_PX}px`} pointerEvents="none">
            <Box ref={head} position="absolute" top="0" bottom="0" w="1.5px" bg="ink.solid" />
          </Box>
        )}
      </Box>
      <ListeningBar frameRate={project.frame_rate} ways={OVERVIEW_WAYS} labels={{ both: 'All in step', recording: 'Without the reference' }}>
        <Text fontSize="sm" color="fg.muted" whiteSpace="nowrap" data-testid="summary" role="status">
          {project.summary}
        </Text>
      </ListeningBar>
    </>
  )
}
