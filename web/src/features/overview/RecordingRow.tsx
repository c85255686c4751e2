import { Box, Button, Flex, Text } from '@chakra-ui/react'
import { useMutation } from '@tanstack/react-query'
import { memo, useState } from 'react'
import { Link } from 'wouter'
import { api, told, type Recording, type Work } from '../../api/client'
import { clock } from '../../time/times'
import type { Bracket } from './brackets'
import { MixControls } from './MixControls'
import { RenameField } from './RenameField'
import { RowMenu } from './RowMenu'
import { Strip } from './Strip'
import { SetDown, StripDrag } from './StripDrag'
import { Words } from './Words'

/** The facts beside a strip: wider where there is room, for the name's sake. */
const NUMBERS_PX = 370
const FACTS_WIDTH = 'clamp(480px, 39vw, 700px)'
export const NAME_WIDTH = `calc(${FACTS_WIDTH} - ${NUMBERS_PX}px)`
/** In a narrow window, or at 200 %, strips stand below their facts. */
export const STACKED = { base: 'wrap', md: 'nowrap' } as const
export const FACTS = { base: '100%', md: FACTS_WIDTH } as const
export const STRIP_FLEX = { base: '1 0 calc(100% - 32px)', md: '1' } as const

interface RowProps {
  recording: Recording
  /** Whether others belong to one set with it. */
  isTied: boolean
  /** Whether the figures give way to how it is heard among the others, and whether some of those are solo. */
  mixing: boolean
  someAreSolo: boolean
}

/** Rows are drawn anew when something of theirs changes: while seventy are placed the project changes all the time. */
export const ReferenceRow = memo(function ReferenceRow({ recording, isTied, mixing, someAreSolo }: RowProps) {
  const [renaming, setRenaming] = useState(false)
  return (
    <Flex align="center" flexWrap={STACKED} bg="bg.panel" mb="1" data-row data-testid="reference-row">
      <Flex w={FACTS} flexShrink={0} pl="7" pr="4" align="center" position="relative">
        <Box {...(mixing ? { w: NAME_WIDTH, flexShrink: 0, pr: '2' } : { flex: '1', minW: '0', pr: '6' })}>
          {renaming ? (
            <RenameField recording={recording} done={() => setRenaming(false)} />
          ) : (
            <Name recording={recording} color="slate.fg" />
          )}
          <Text fontSize="xs" color="fg.muted" truncate>
            <Text as="span" color="slate.fg" fontWeight="600">
              reference
            </Text>{' '}
            · {recording.media.line}
          </Text>
        </Box>
        {mixing && <MixControls recording={recording} someAreSolo={someAreSolo} />}
        <RowMenu recording={recording} hasReference isTied={isTied} rename={() => setRenaming(true)} />
      </Flex>
      <Box flex={STRIP_FLEX} mr="4" ml={{ base: '4', md: '0' }} minW="0">
        <Strip recording={recording} isReference heightPx={58} />
      </Box>
    </Flex>
  )
})

interface Props extends RowProps {
  hasReference: boolean
  bracket: Bracket
  work: Work | undefined
  choose: (recordingId: string) => void
  isChosen: boolean
  /** With `range`: all from the one that was chosen last. */
  pick: (recordingId: string, range: boolean) => void
}

const isSameWork = (one: Work | undefined, other: Work | undefined): boolean =>
  one === other ||
  (one?.id === other?.id &&
    one?.state === other?.state &&
    one?.fraction_done === other?.fraction_done &&
    one?.stop_asked === other?.stop_asked)

const areSame = (one: Props, other: Props): boolean =>
  (Object.keys(other) as (keyof Props)[]).every((key) => (key === 'work' ? isSameWork(one.work, other.work) : one[key] === other[key]))

export const RecordingRow = memo(function RecordingRow(props: Props) {
  const { recording, hasReference, isTied, bracket, mixing, someAreSolo, work, choose, isChosen, pick } = props
  const isPlaced = recording.status === 'placed'
  const [renaming, setRenaming] = useState(false)
  return (
    <Flex
      align="center"
      flexWrap={STACKED}
      borderBottomWidth="1px"
      minH="46px"
      data-row
      data-testid="recording-row"
      data-status={recording.status}
      data-bracket={bracket ?? undefined}
      position="relative"
      bg={isChosen ? 'bg.subtle' : undefined}
    >
      <Pick
        label={`Choose ${recording.name}`}
        isChosen={isChosen}
        title="Choose it, to work on several at once; with Shift all from the last one"
        pick={(range) => pick(recording.id, range)}
      />
      {bracket && <SetBracket part={bracket} />}
      <Flex w={FACTS} flexShrink={0} pl="7" pr="4" align="center" position="relative">
        <Box w={NAME_WIDTH} flexShrink={0} pr="2">
          {renaming ? (
            <RenameField recording={recording} done={() => setRenaming(false)} />
          ) : (
            <Name recording={recording} isLink={hasReference && recording.media.state === 'ready'} />
          )}
        </Box>
        {isPlaced && mixing ? (
          <MixControls recording={recording} someAreSolo={someAreSolo} />
        ) : isPlaced ? (
          <Facts recording={recording} />
        ) : (
          <Words recording={recording} hasReference={hasReference} choose={choose} />
        )}
        <RowMenu recording={recording} hasReference={hasReference} isTied={isTied} choose={choose} rename={() => setRenaming(true)} />
      </Flex>
      <Box flex={STRIP_FLEX} mr="4" ml={{ base: '4', md: '0' }} minW="0">
        {work ? (
          <Doing work={work} />
        ) : recording.map ? (
          <StripDrag recording={recording}>
            <Strip recording={recording} isReference={false} heightPx={38} />
          </StripDrag>
        ) : hasReference && recording.media.state === 'ready' ? (
          <SetDown recording={recording} />
        ) : null}
      </Box>
    </Flex>
  )
}, areSame)

/** A small box to choose by, in the margin. */
export function Pick({
  label,
  isChosen,
  title,
  pick,
}: {
  label: string
  isChosen: boolean
  title: string
  pick: (range: boolean) => void
}) {
  return (
    <Box
      as="label"
      position="absolute"
      left="8px"
      top="0"
      bottom="0"
      w="18px"
      display="flex"
      alignItems="center"
      zIndex="1"
      opacity={isChosen ? 1 : 0.4}
      _hover={{ opacity: 1 }}
      _focusWithin={{ opacity: 1 }}
      title={title}
    >
      <input
        type="checkbox"
        aria-label={label}
        checked={isChosen}
        style={{ accentColor: 'var(--chakra-colors-ink-solid)', width: 13, height: 13, margin: 0 }}
        onChange={(event) => pick((event.nativeEvent as MouseEvent).shiftKey)}
      />
    </Box>
  )
}

/** Ties what belongs to one set. */
function SetBracket({ part }: { part: NonNullable<Bracket> }) {
  return (
    <Box
      position="absolute"
      left="3px"
      w="4px"
      top={part === 'first' ? '22px' : '0'}
      bottom={part === 'last' ? '22px' : '-1px'}
      borderColor="ink.solid"
      borderLeftWidth="1.5px"
      borderTopWidth={part === 'first' ? '1.5px' : '0'}
      borderBottomWidth={part === 'last' ? '1.5px' : '0'}
      aria-hidden
    />
  )
}

function Name({ recording, isLink = false, color }: { recording: Recording; isLink?: boolean; color?: string }) {
  const text = (
    <Text fontWeight="600" fontSize="sm" color={color} lineClamp={recording.remark ? 1 : 2} lineHeight="1.3" title={recording.name}>
      {recording.name}
      {recording.locked && (
        <Text as="span" color="fg.muted" fontWeight="400">
          {' '}
          · locked
        </Text>
      )}
      {recording.map && !recording.map.kept && (
        <Text as="span" color="fg.muted" fontWeight="400">
          {' '}
          · scratch
        </Text>
      )}
      {recording.remark && (
        <Text as="span" display="block" fontSize="xs" color="fg.muted" fontWeight="400" truncate title={recording.remark}>
          {recording.remark}
        </Text>
      )}
    </Text>
  )
  return isLink ? <Link to={`/projects/${recording.project_id}/recordings/${recording.id}`}>{text}</Link> : text
}

function Facts({ recording }: { recording: Recording }) {
  const { map, judgement, proof } = recording
  if (!map) return null
  // What was measured holds for the map that it was measured through.
  const measured = recording.as_judged ? judgement : null
  return (
    <Flex fontFamily="mono" fontSize="xs" textAlign="right">
      <Text w="80px">{clock(map.offset_s, 3)}</Text>
      <Text w="86px" color={/[a-z]/.test(map.clock_label) && !map.bent ? 'ochre.fg' : undefined}>
        {map.clock_label}
      </Text>
      <Text w="80px" color={proof?.current && !proof.in_step ? 'ochre.fg' : 'moss.fg'}>
        {proof?.current ? proof.left_over : '…'}
      </Text>
      <Text w="72px" pr="2">
        {map.bent ? 'matched' : (measured?.sure ?? 'by hand')}
      </Text>
    </Flex>
  )
}

const DOING = {
  listen: 'listening',
  place: 'finding its place',
  match: 'following the reference',
  prove: 'measuring',
  deliver: 'writing',
} as const satisfies Record<Work['kind'], string>

function Doing({ work }: { work: Work }) {
  const stop = useMutation({
    mutationFn: () => told(api.DELETE('/api/works/{work_id}', { params: { path: { work_id: work.id } } })),
  })
  const percent = Math.round(work.fraction_done * 100)
  return (
    <Flex align="center" gap="3" fontSize="xs" color="fg.muted">
      <Box flex="1" h="4px" bg="bg.subtle" rounded="sm" role="progressbar" aria-valuenow={percent} aria-label={DOING[work.kind]}>
        {/* Scaled, not widened: seventy of them move without the page being laid out anew. */}
        <Box
          h="100%"
          bg="slate.solid"
          rounded="sm"
          transformOrigin="left"
          transition="transform 0.2s"
          style={{ transform: `scaleX(${work.fraction_done})` }}
        />
      </Box>
      <Text w="150px" flexShrink={0}>
        {work.stop_asked ? 'stopping …' : work.state === 'queued' ? 'waits its turn' : `${DOING[work.kind]} … ${percent} %`}
      </Text>
      <Button size="2xs" variant="ghost" flexShrink={0} disabled={work.stop_asked} onClick={() => stop.mutate()}>
        Stop
      </Button>
    </Flex>
  )
}
