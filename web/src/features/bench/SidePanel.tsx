import { Flex, Text } from '@chakra-ui/react'
import { memo } from 'react'
import { Choice } from '../../ui/Choice'
import { timeFrom } from '../../time/times'
import { BendPanel } from './BendPanel'
import { ClockChoice } from './ClockChoice'
import { History } from './History'
import { MarkLists } from './MarkLists'
import { MatchCurve } from './MatchCurve'
import { PicturePanel } from './PicturePanel'
import { hasOtherPicture, hasOwnPicture, usePictureSize } from './pictureSize'
import { PieceList } from './PieceList'
import { RemarkField } from './RemarkField'
import { SetMembers } from './SetMembers'
import { Section } from './Section'
import { SoundChoice } from './SoundChoice'
import { STEPS, useStep } from './steps'
import { Timecodes } from './Timecodes'
import { TypedField } from './TypedField'
import { useBench } from './benchStore'

/** The numbers and the choices beside the waves. */
export const SidePanel = memo(function SidePanel() {
  const hasPicture = useBench((s) => hasOwnPicture(s) || hasOtherPicture(s))
  const size = usePictureSize((s) => s.size)
  return (
    <Flex
      direction="column"
      gap="4"
      w={{ base: '100%', md: hasPicture && size === 'large' ? '520px' : '276px' }}
      flexShrink={0}
      borderLeftWidth={{ md: '1px' }}
      px="4"
      py="3"
      overflowY={{ md: 'auto' }}
    >
      <PicturePanel />
      <MatchCurve />
      <Notes />
      <PlaceFields />
      <BendPanel />
      <StepChoice />
      <SetMembers />
      <MarkLists />
      <SoundChoice />
      <PieceList />
      <RemarkField />
      <History />
    </Flex>
  )
})

function Notes() {
  const notes = useBench((s) => s.recording.judgement?.notes)
  if (!notes?.length) return null
  return (
    <Section title="To know">
      {notes.map((note) => (
        <Text key={note.code + note.message} fontSize="sm">
          {note.message}
        </Text>
      ))}
    </Section>
  )
}

function PlaceFields() {
  const map = useBench((s) => s.recording.map)
  const frameRate = useBench((s) => s.project.frame_rate.per_second)
  const rateHz = useBench((s) => s.reference.media.sample_rate_hz ?? 48000)
  const pendingS = useBench((s) => s.pendingS)
  const edit = useBench((s) => s.edit)
  return (
    <Section title="Place">
      <TypedField
        label="starts at"
        name="Starts at, seconds"
        shown={map ? (map.offset_s + pendingS).toFixed(6) : ''}
        unit="s"
        title="seconds, 1:35.250, timecode 00:01:35:06, or 48000 samples"
        keep={(text) => {
          const value = timeFrom(text, frameRate, rateHz)
          if (value !== null) edit({ kind: 'move', offset_s: value })
          return value !== null
        }}
      />
      <Timecodes />
      {map && !map.bent && <ClockChoice />}
    </Section>
  )
}

function StepChoice() {
  const { step, choose } = useStep()
  const hasPlace = useBench((s) => s.recording.map !== null)
  const forPiece = useBench((s) => s.piece !== null)
  if (!hasPlace) return null
  return (
    <Section title={forPiece ? 'Step, for the chosen piece' : 'Step of the arrow keys'}>
      <Choice
        label="Step"
        options={STEPS.map((one) => ({ value: one.key, label: one.label }))}
        value={step}
        choose={choose}
        button={{ flex: '1', size: '2xs', px: '0', rounded: 'none', fontWeight: 'normal' }}
        borderWidth="1px"
        borderColor="border.emphasized"
        rounded="md"
        overflow="hidden"
      />
    </Section>
  )
}
