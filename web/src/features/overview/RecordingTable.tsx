import { Box, Flex, Text } from '@chakra-ui/react'
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { Project, Recording } from '../../api/client'
import { panned, ticks, timeAt, xOf, type Viewport } from '../../time/viewport'
import { clock, recordingCount } from '../../time/times'
import { useDrag } from '../../ui/useDrag'
import { ListeningBar } from '../../listening/ListeningBar'
import { anySolo, useMixer } from '../../listening/mixer'
import { player } from '../../listening/player'
import type { Way } from '../../listening/ways'
import { withBrackets, type Bracket } from './brackets'
import { chooseOne, chooseThese, clearChosen, useChosen } from './chosen'
import { ChosenBar } from './ChosenBar'
import { ColumnHeads } from './ColumnHeads'
import { FindBar } from './FindBar'
import { EVERYTHING, found, type Finding } from './finding'
import { BENT_LEFT_MS, LEFT_MS } from '../../drawing/strip'
import { FACTS, Pick, RecordingRow, ReferenceRow, STACKED, STRIP_FLEX } from './RecordingRow'
import { needsPerson } from '../../api/order'
import { SetDialog } from './SetDialog'
import { SetOffers } from './SetOffers'
import { shownWorks, tied } from './rowFacts'
import { useOverviewView } from './overviewView'
import { useRival } from './rivals'
import { remember, remembered, sorted, turned, type Sorting } from './sorting'
import { UploadList } from './UploadList'
import { MixSwitch } from './MixSwitch'
import { useMixedTracks } from './useMixedTracks'
import { useOverviewKeys } from './useOverviewKeys'
import { useOverviewTime } from './useOverviewTime'
import { useReference } from './useReference'

const OVERVIEW_WAYS: readonly Way[] = ['reference', 'recording', 'both', 'ears', 'turns']
const TICK_LABEL_PX = 44

/** The reference across the top, below it one strip for each recording, where it belongs in the reference's time. */
export function RecordingTable({ project }: { project: Project }) {
  const area = useRef<HTMLDivElement>(null)
  const head = useRef<HTMLDivElement>(null)
  const scroll = useRef<HTMLDivElement>(null)
  const [mixing, mix] = useState(false)
  const [finding, find] = useState<Finding>(EVERYTHING)
  const reference = project.recordings.find((one) => one.id === project.reference_id) ?? null
  const [sorting, setSorting] = useState(remembered)
  const others = useMemo(
    () =>
      sorted(
        project.recordings.filter((one) => one.id !== project.reference_id),
        sorting,
      ),
    [project, sorting],
  )
  const shown = useMemo(() => found(others, finding), [others, finding])
  // Sorted by a figure all stand in one list.
  const waits = (one: Recording): boolean => sorting.column === 'need' && needsPerson(one)
  const needing = withBrackets(shown.filter(waits))
  const rest = withBrackets(shown.filter((one) => !waits(one)))
  const order = useRef<string[]>([])
  order.current = [...needing, ...rest].map(([one]) => one.id)
  const pick = useCallback((id: string, range: boolean) => chooseOne(id, range, order.current), [])
  const chosen = useChosen((s) => s.ids)
  const sort = (sorting: Sorting): void => {
    remember(sorting)
    setSorting(sorting)
  }
  const startS = Math.min(0, ...others.map((one) => one.map?.start_ref_s ?? 0))
  const endS = Math.max(reference?.media.duration_s ?? 60, ...others.map((one) => one.map?.end_ref_s ?? 0))
  const { view, widthPx, setView, zoom, showAll } = useOverviewTime(startS, endS, area, scroll, head)
  useLayoutEffect(() => useOverviewView.setState({ view }), [view])

  // Not where its label would be cut off.
  const labelled = ticks(view, widthPx).timesS.filter((t) => xOf(view, t) < widthPx - TICK_LABEL_PX)

  const from = useRef<Viewport | null>(null)
  const drag = useDrag({
    move: (d) => {
      const base = (from.current ??= view)
      setView(() => panned(base, -d.byX))
    },
    end: (d) => {
      from.current = null
      if (d.click) player.seek(timeAt(view, d.startX))
    },
    cancel: () => {
      const base = from.current
      from.current = null
      if (base) setView(() => base)
    },
  })

  const tracks = useMixedTracks(project, reference, others)
  const tried = useRival((s) => s.heard)
  useEffect(() => {
    // While a place is tried by ear it has the player to itself.
    if (tried) return
    player.setTracks(tracks, reference?.media.sample_rate_hz ?? 48000, reference?.media.duration_s ?? 0)
  }, [tracks, reference, tried])
  useEffect(
    () => () => {
      player.stop()
      useRival.setState({ heard: null })
    },
    [],
  )
  useOverviewKeys(project, shown, OVERVIEW_WAYS)

  const choose = useReference(project)
  const isTied = useMemo(() => tied(project.recordings), [project.recordings])
  const someAreSolo = useMixer((s) =>
    anySolo(
      s.voices,
      project.recordings.map((one) => one.id),
    ),
  )
  const rows = (some: readonly [Recording, Bracket][]) =>
    some.map(([one, bracket]) => (
      <RecordingRow
        key={one.id}
        recording={one}
        hasReference={project.reference_id !== null}
        isTied={isTied(one)}
        bracket={bracket}
        mixing={mixing}
        someAreSolo={someAreSolo}
        work={work.get(one.id)}
        choose={choose}
        isChosen={chosen.has(one.id)}
        pick={pick}
      />
    ))
  const work = useMemo(() => shownWorks(project.works), [project.works])

  return (
    <>
      <FindBar recordings={others} finding={finding} find={find} zoom={zoom} showAll={showAll} />
      <Box ref={scroll} flex="1" overflowY="auto" position="relative" data-testid="strips">
        <Flex position="sticky" top="0" bg="bg" zIndex="1" fontSize="xs" color="fg.muted" align="flex-end" flexWrap={STACKED}>
          <ColumnHeads
            mixing={mixing}
            sorting={sorting}
            turn={(column) => sort(turned(sorting, column))}
            allChosen={shown.length > 0 && shown.every((one) => chosen.has(one.id))}
            pickAll={() => (shown.every((one) => chosen.has(one.id)) ? clearChosen() : chooseThese(shown.map((one) => one.id)))}
          />
          <Box
            ref={area}
            flex={STRIP_FLEX}
            mr="4"
            ml={{ base: '4', md: '0' }}
            h="24px"
            position="relative"
            overflow="hidden"
            cursor="pointer"
            touchAction="none"
            title="Click to go there, drag to move along, wheel to come closer"
            data-testid="ruler"
            data-start-s={view.startS}
            data-seconds-per-px={view.secondsPerPx}
            {...drag}
          >
            {labelled.map((t) => (
              <Text
                key={t}
                position="absolute"
                bottom="5px"
                left={`${xOf(view, t)}px`}
                pl="1"
                borderLeftWidth="1px"
                borderColor="border.emphasized"
                lineHeight="1"
                pointerEvents="none"
              >
                {clock(t, 0)}
              </Text>
            ))}
          </Box>
        </Flex>
        {reference ? (
          <ReferenceRow recording={reference} isTied={isTied(reference)} mixing={mixing} someAreSolo={someAreSolo} />
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
        <SetOffers projectId={project.id} />
        <SetDialog project={project} />
        {needing.length > 0 && (
          <Box bg="var(--ochre-sheet)" py="1" mb="1">
            <Box position="relative" pl="7">
              <Pick
                label="Choose all that need you"
                title="Choose all that need you"
                isChosen={needing.every(([one]) => chosen.has(one.id))}
                pick={() => chooseThese(needing.every(([one]) => chosen.has(one.id)) ? [] : needing.map(([one]) => one.id))}
              />
              <Text fontSize="sm" fontWeight="600" color="ochre.fg">
                Needs you
              </Text>
            </Box>
            {rows(needing)}
          </Box>
        )}
        {shown.length === 0 && others.length > 0 && (
          <Text px="4" py="3" fontSize="sm" color="fg.muted" role="status">
            None of the {recordingCount(others.length)} is shown:{' '}
            {finding.text ? `no name or note has “${finding.text}” in it` : 'none is in that state'}.
          </Text>
        )}
        {rows(rest)}
        <UploadList projectId={project.id} />
        {rest.some(([one]) => one.map) && (
          <Text fontSize="xs" color="fg.muted" ml={{ base: '4', md: FACTS.md }} mr="4" mt="2" mb="4" position="relative" zIndex="2" bg="bg">
            lower edge of a strip: green agrees with the reference, half-high ochre does not; line in it: what is left over, ±{LEFT_MS} ms
            {rest.some(([one]) => one.map?.bent) && `, bent ±${BENT_LEFT_MS} ms`}
          </Text>
        )}
        {reference && (
          <Box
            position="absolute"
            top="24px"
            bottom="0"
            left={{ base: '16px', md: FACTS.md }}
            right="16px"
            overflow="hidden"
            pointerEvents="none"
          >
            <Box ref={head} position="absolute" top="0" bottom="0" w="1.5px" bg="ink.solid" />
          </Box>
        )}
      </Box>
      {chosen.size > 0 && <ChosenBar project={project} />}
      <ListeningBar
        frameRate={project.frame_rate.per_second}
        ways={OVERVIEW_WAYS}
        labels={{ both: 'All in step', recording: 'Without it', ears: 'In each ear' }}
      >
        <MixSwitch mixing={mixing} mix={mix} />
        <Text fontSize="sm" color="fg.muted" whiteSpace="nowrap" data-testid="summary" role="status">
          {project.summary}
        </Text>
      </ListeningBar>
    </>
  )
}
