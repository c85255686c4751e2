import { Box, Flex, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import { useLocation } from 'wouter'
import { api, type Project, type Recording } from '../../api/client'
import { inOrder } from '../../api/order'
import { loupesOptions, projectOptions, usePieces } from '../../api/queries'
import { useBatchNotice } from '../../ui/useBatchNotice'
import { useProjectEvents } from '../../api/useProjectEvents'
import { ListeningBar } from '../../listening/ListeningBar'
import type { Track } from '../../listening/fetchSound'
import { player } from '../../listening/player'
import { TurnChoice } from '../../listening/TurnChoice'
import { WAYS } from '../../listening/ways'
import { Gone } from '../../ui/Gone'
import { Page } from '../../ui/Page'
import { BenchBar } from './BenchBar'
import { BendTrace } from './BendTrace'
import { Cancelled } from './Cancelled'
import { BenchContext, createBench, useBench, useBenchStore, type Bench } from './benchStore'
import { DoublingGauge } from './DoublingGauge'
import { LoupeRow } from './LoupeRow'
import { useChosenMarks } from './marks'
import { Mirror } from './Mirror'
import { NotPlaced } from './NotPlaced'
import { SidePanel } from './SidePanel'
import { Trace } from './Trace'
import { useBend } from './useBend'
import { useBenchKeys } from './useBenchKeys'

export function BenchPage({ projectId, recordingId }: { projectId: string; recordingId: string }) {
  useProjectEvents(projectId)
  const { data: project, error } = useQuery(projectOptions(projectId))
  const batch = useBatchNotice(project)
  const recording = project?.recordings.find((one) => one.id === recordingId)
  const reference = project?.recordings.find((one) => one.id === project.reference_id)
  if (project && recording && reference && recording.media.state === 'ready' && reference.media.state === 'ready')
    return <TheBench key={recording.id} project={project} reference={reference} recording={recording} batch={batch} />
  if (error) return <Gone words={error.message} />
  if (!project) return null
  const words = recording
    ? 'This recording cannot be shown yet: it, or the reference, is missing or not listened to yet.'
    : 'This recording does not exist any more.'
  return <Gone words={words} to={`/projects/${projectId}`} back={`To ${project.name}`} />
}

interface Props {
  project: Project
  reference: Recording
  recording: Recording
  batch: string
}

function TheBench({ batch, ...given }: Props) {
  const client = useQueryClient()
  const { recording } = given
  const stored = usePieces(recording.id, recording.map)
  const earlier = usePieces(recording.id, recording.earlier_id ? { id: recording.earlier_id, pieces: null } : null)
  const shown = { ...given, stored, earlier }
  const [store] = useState(() => createBench(client, shown))
  const { project, reference } = given
  useLayoutEffect(
    () => store.getState().show({ project, reference, recording, stored, earlier }),
    [store, project, reference, recording, stored, earlier],
  )
  // Who leaves while a key is held has moved it all the same.
  useEffect(() => () => store.getState().settle(), [store])
  return (
    <BenchContext value={store}>
      <Page name={`${batch}${recording.name} · ${project.name}`}>
        <Work />
      </Page>
    </BenchContext>
  )
}

const shownInOrder = (recordings: readonly Recording[], referenceId: string): Recording[] =>
  inOrder(recordings.filter((one) => one.id !== referenceId && one.media.state === 'ready'))

/** The recording before or after the one on the bench. */
function neighbour({ project, reference, recording }: Bench, by: 1 | -1): Recording | undefined {
  const order = shownInOrder(project.recordings, reference.id)
  return order[order.findIndex((one) => one.id === recording.id) + by]
}

/** The same elements each time: what shows them is not drawn anew because the bench was. */
const ALL_WAYS = WAYS.map((one) => one.way)
const GAUGES = (
  <>
    <Cancelled />
    <DoublingGauge />
  </>
)

const TURNS = <BenchTurns />

function BenchTurns() {
  return <TurnChoice selected={useBench((s) => s.selection)} />
}

function Sentence() {
  return (
    <Text fontFamily="sentence" fontSize="lg" lineHeight="1.35" data-testid="sentence" role="status">
      {useBench((s) => s.recording.sentence)}
    </Text>
  )
}

/** Everything on the bench, from the store. */
function Work() {
  const [, go] = useLocation()
  const project = useBench((s) => s.project)
  const reference = useBench((s) => s.reference)
  const recording = useBench((s) => s.recording)
  const mapId = useBench((s) => s.mapId)
  const store = useBenchStore()
  const main = useRef<HTMLDivElement>(null)
  useEffect(() => {
    if (!main.current) return
    const observer = new ResizeObserver(([entry]) => store.getState().measure(Math.max(300, entry!.contentRect.width)))
    observer.observe(main.current)
    return () => observer.disconnect()
  }, [store])

  const bend = useBend()
  const { data: moments, refetch } = useQuery({
    ...loupesOptions(recording.id, recording.judgement?.map_id ?? ''),
    enabled: mapId !== '',
  })
  useEffect(() => store.getState().lookAt(moments ?? []), [store, moments])
  // They stay where they are while a recording is moved, unless it was moved away from all of them.
  const left = useBench(
    ({ centresS, recording: { map } }) =>
      centresS.length > 0 && centresS.every((one) => map !== null && (one < map.start_ref_s || one > map.end_ref_s)),
  )
  useEffect(() => {
    if (left && moments) void refetch()
  }, [left, moments, refetch])
  // Every edit is followed by a proof; what is missing on arrival was stored before there were any, or broke off.
  useEffect(
    () => void api.POST('/api/recordings/{recording_id}/proofs', { params: { path: { recording_id: recording.id } } }),
    [recording.id],
  )

  useEffect(() => {
    const tracks: Track[] = [{ recordingId: reference.id, role: 'reference', mapId: '' }]
    if (mapId) tracks.push({ recordingId: recording.id, role: 'recording', mapId })
    player.setTracks(tracks, reference.media.sample_rate_hz ?? 48000, reference.media.duration_s ?? 1)
  }, [reference, recording.id, mapId])
  useEffect(() => () => player.stop(), [])

  const order = useMemo(() => shownInOrder(project.recordings, reference.id), [project, reference])
  const at = order.findIndex((one) => one.id === recording.id)
  const step = useCallback(
    (by: 1 | -1): void => {
      const next = neighbour(store.getState(), by)
      if (next) go(`/projects/${next.project_id}/recordings/${next.id}`)
    },
    [store, go],
  )
  useEffect(() => useChosenMarks.setState({ reference: null, recording: null }), [recording.id])
  useBenchKeys({ step, leave: () => go(`/projects/${project.id}`) })

  return (
    <>
      <BenchBar at={at} count={order.length} step={step} />
      {/* In a narrow window, or at 200 %, the panel stands below and both scroll. */}
      <Flex flex="1" minH="0" direction={{ base: 'column', md: 'row' }} overflowY={{ base: 'auto', md: 'hidden' }}>
        <Flex direction="column" flex={{ base: 'none', md: '1' }} minW="0" px="4" py="3" gap="2" overflowY={{ md: 'auto' }}>
          <Sentence />
          <Box ref={main}>
            <Mirror />
          </Box>
          {recording.map ? (
            <>
              <LoupeRow />
              {bend ? <BendTrace bend={bend} /> : <Trace />}
            </>
          ) : (
            <NotPlaced project={project} recording={recording} />
          )}
        </Flex>
        <SidePanel />
      </Flex>
      <ListeningBar frameRate={project.frame_rate.per_second} ways={ALL_WAYS} turns={TURNS}>
        {GAUGES}
      </ListeningBar>
    </>
  )
}
