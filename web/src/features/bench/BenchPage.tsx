import { Box, Button, Flex, Heading, IconButton, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { ChevronLeft, ChevronRight, Redo2, Undo2 } from 'lucide-react'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { useLocation } from 'wouter'
import { api, type Project, type Recording } from '../../api/client'
import { loupesOptions, projectOptions } from '../../api/queries'
import { usePlacing } from '../../api/usePlacing'
import { useBatchNotice } from '../../api/useBatchNotice'
import { useProjectEvents } from '../../api/useProjectEvents'
import { Crumb } from '../../ui/Crumb'
import { Gone } from '../../ui/Gone'
import { Page } from '../../ui/Page'
import { TopBar } from '../../ui/TopBar'
import { ListeningBar } from '../listening/ListeningBar'
import { player, WAYS, type Range, type Track } from '../listening/player'
import { inOrder } from '../overview/sortRecordings'
import { moved } from './geometry/moves'
import { shifted } from './geometry/timeMap'
import { showing, zoomed, type Viewport } from '../../time/viewport'
import { LoupeRow } from './LoupeRow'
import { Mirror } from './Mirror'
import { SidePanel } from './SidePanel'
import { Trace } from './Trace'
import { useBenchKeys } from './useBenchKeys'
import { useEdits } from './useEdits'
import { useLoupes } from './useLoupes'

/** How much wider than the whole event the mirror may show. */
const MOST_OUT = 1.5

export function BenchPage({ projectId, recordingId }: { projectId: string; recordingId: string }) {
  useProjectEvents(projectId)
  const { data: project, error } = useQuery(projectOptions(projectId))
  const batch = useBatchNotice(project)
  const recording = project?.recordings.find((one) => one.id === recordingId)
  const reference = project?.recordings.find((one) => one.id === project.reference_id)
  if (project && recording && reference && recording.media.state === 'ready' && reference.media.state === 'ready')
    return <Bench key={recording.id} project={project} reference={reference} recording={recording} batch={batch} />
  if (error) return <Gone words={error.message} />
  if (!project) return null
  const words = recording
    ? 'This recording cannot be shown yet: it, or the reference, is missing or not listened to yet.'
    : 'This recording does not exist any more.'
  return <Gone words={words} to={`/projects/${projectId}`} back={`To ${project.name}`} />
}

function Bench({ project, reference, recording, batch }: { project: Project; reference: Recording; recording: Recording; batch: string }) {
  const [, go] = useLocation()
  const edits = useEdits(recording)
  const [heldBack, setHeldBack] = useState(false)
  const [selection, setSelection] = useState<Range | null>(null)
  const [piece, choosePiece] = useState<number | null>(null)
  const main = useRef<HTMLDivElement>(null)
  const [widthPx, setWidthPx] = useState(960)
  const durationS = reference.media.duration_s ?? 1
  const whole = useMemo(() => {
    const startS = Math.min(0, recording.map?.start_ref_s ?? 0)
    const endS = Math.max(durationS, recording.map?.end_ref_s ?? 0)
    return showing(startS, endS, widthPx)
  }, [recording.map, durationS, widthPx])
  const [view, setViewState] = useState<Viewport | null>(null)
  const shownView = view ?? whole
  const setView = useCallback((change: (view: Viewport) => Viewport) => setViewState((v) => change(v ?? whole)), [whole])

  useEffect(() => {
    if (!main.current) return
    const observer = new ResizeObserver(([entry]) => setWidthPx(Math.max(300, entry!.contentRect.width)))
    observer.observe(main.current)
    return () => observer.disconnect()
  }, [])

  const current = recording.map
  const earlier = current ? recording.versions.find((one) => one.number === current.number - 1) : undefined
  const pieces = useMemo(() => {
    if (heldBack && earlier) return earlier.pieces
    return current ? moved(shifted(current.pieces, edits.pendingS), edits.drawn) : []
  }, [heldBack, earlier, current, edits.pendingS, edits.drawn])
  const mapId = (heldBack && earlier ? earlier : current)?.id ?? ''
  const { data: moments } = useQuery({ ...loupesOptions(recording.id, recording.judgement?.map_id ?? ''), enabled: mapId !== '' })
  const loupes = useLoupes(moments)
  // After an edit another piece may bear the number.
  useEffect(() => choosePiece((old) => (old !== null && old >= (current?.pieces.length ?? 0) ? null : old)), [current?.pieces.length])
  // Every edit is followed by a proof; what is missing on arrival was stored before there were any, or broke off.
  useEffect(() => void api.POST('/api/recordings/{recording_id}/proofs', { params: { path: { recording_id: recording.id } } }), [recording.id])

  useEffect(() => {
    const tracks: Track[] = [{ recordingId: reference.id, role: 'reference', mapId: '' }]
    if (mapId) tracks.push({ recordingId: recording.id, role: 'recording', mapId })
    player.setTracks(tracks, reference.media.sample_rate_hz ?? 48000, durationS)
  }, [reference, recording.id, mapId, durationS])
  useEffect(() => () => player.stop(), [])

  const order = useMemo(
    () => inOrder(project.recordings.filter((one) => one.id !== reference.id && one.media.state === 'ready')),
    [project, reference],
  )
  const at = order.findIndex((one) => one.id === recording.id)
  const step = (by: 1 | -1): void => {
    const next = order[at + by]
    if (next) go(`/projects/${project.id}/recordings/${next.id}`)
  }
  useBenchKeys({
    edits,
    loupes,
    piece,
    choosePiece,
    step,
    setHeldBack,
    selection,
    setSelection,
    zoom: (factor) => setView((v) => zoomed(v, widthPx / 2, factor, whole.secondsPerPx * MOST_OUT)),
    showAll: () => setViewState(null),
    leave: () => go(`/projects/${project.id}`),
    nextPlace: () => {
      const places = recording.judgement?.candidates ?? []
      const here = places.findIndex((one) => one.current)
      if (places.length > 1 || (places.length === 1 && here < 0)) edits.edit({ kind: 'take', index: (here + 1) % places.length })
    },
    rateHz: reference.media.sample_rate_hz ?? 48000,
    frameRate: project.frame_rate.per_second,
  })
  const canRedo = recording.versions.some((one) => one.number > (current?.number ?? 0))
  const next = recording.versions.find((one) => one.number === (current?.number ?? 0) + 1)
  const nowSentence = recording.versions.find((one) => one.number === current?.number)?.sentence

  return (
    <Page name={`${batch}${recording.name} · ${project.name}`}>
      <TopBar
        left={
          <>
            <Crumb to={`/projects/${project.id}`}>{project.name}</Crumb>
            <IconButton aria-label="Recording before (K)" title="Recording before (K)" size="2xs" variant="outline" rounded="full" disabled={at <= 0} onClick={() => step(-1)}>
              <ChevronLeft />
            </IconButton>
            <Heading as="h1" size="md" truncate title={recording.name} minW="60px">
              {recording.name}
            </Heading>
            <IconButton aria-label="Next recording (J)" title="Next recording (J)" size="2xs" variant="outline" rounded="full" disabled={at >= order.length - 1} onClick={() => step(1)}>
              <ChevronRight />
            </IconButton>
            <Text fontSize="sm" color="fg.muted" truncate minW="0">
              {at + 1} of {order.length} · against{' '}
              <Text as="span" color="slate.fg" fontWeight="600" title={reference.name}>
                {reference.name}
              </Text>
            </Text>
          </>
        }
        right={
          <>
            <Button
              size="xs"
              variant="outline"
              flexShrink={0}
              disabled={!current}
              title={current ? 'Undo (Ctrl Z)' : 'Nothing was done that could be undone'}
              aria-label={nowSentence ? `Undo: ${nowSentence}` : 'Undo'}
              onClick={() => edits.edit({ kind: 'undo' })}
            >
              <Undo2 size={13} /> <Text as="span" maxW="180px" truncate>{nowSentence ?? 'nothing to undo'}</Text>
            </Button>
            <IconButton flexShrink={0} aria-label={next ? `Redo: ${next.sentence}` : 'Redo'} title={next ? `Redo: ${next.sentence} (Ctrl Shift Z)` : 'Redo'} size="xs" variant="outline" disabled={!canRedo} onClick={() => edits.edit({ kind: 'redo' })}>
              <Redo2 />
            </IconButton>
          </>
        }
      />
      {/* In a narrow window, or at 200 %, the panel stands below and both scroll. */}
      <Flex flex="1" minH="0" direction={{ base: 'column', md: 'row' }} overflowY={{ base: 'auto', md: 'hidden' }}>
        <Flex direction="column" flex={{ base: 'none', md: '1' }} minW="0" px="4" py="3" gap="2" overflowY={{ md: 'auto' }}>
          <Text fontFamily="sentence" fontSize="lg" lineHeight="1.35" data-testid="sentence" role="status">
            {recording.sentence}
          </Text>
          <Box ref={main}>
            <Mirror
              reference={reference}
              recording={recording}
              pieces={pieces}
              view={shownView}
              setView={setView}
              coarsest={whole.secondsPerPx * MOST_OUT}
              selection={selection}
              setSelection={setSelection}
              edits={edits}
              heldBack={heldBack && earlier !== undefined}
              piece={piece}
              choosePiece={choosePiece}
              loupes={loupes}
            />
          </Box>
          {current ? (
            <>
              <LoupeRow reference={reference} recording={recording} pieces={pieces} stored={(heldBack ? earlier : undefined)?.pieces ?? current.pieces} mapId={mapId} loupes={loupes} edits={edits} />
              <Trace recording={recording} pieces={pieces} before={earlier?.pieces ?? null} durationS={durationS} edits={edits} />
            </>
          ) : (
            <NotPlaced project={project} recording={recording} />
          )}
        </Flex>
        <SidePanel recording={recording} frameRate={project.frame_rate.per_second} edits={edits} piece={piece} choosePiece={choosePiece} />
      </Flex>
      <ListeningBar frameRate={project.frame_rate.per_second} ways={WAYS.map((w) => w.way)} />
    </Page>
  )
}

/** Teaches what can be done with a recording that has no place. */
function NotPlaced({ project, recording }: { project: Project; recording: Recording }) {
  const busy = project.works.find((w) => w.recording_id === recording.id && w.kind === 'place')
  const place = usePlacing(project.id, recording.id)
  return (
    <Flex flex="1" direction="column" align="center" justify="center" gap="3" borderWidth="1px" borderStyle="dashed" borderColor="border.emphasized">
      <Text color="fg.muted">
        {recording.status === 'unplaced'
          ? 'It was looked for everywhere. If you know better, try one of the places at the right.'
          : 'It can be found by its sound.'}
      </Text>
      <Button size="sm" onClick={() => place.mutate()} disabled={busy !== undefined} loading={place.isPending}>
        {busy ? `finding its place … ${Math.round(busy.fraction_done * 100)} %` : recording.status === 'unplaced' ? 'Look again' : 'Find its place'}
      </Button>
    </Flex>
  )
}
