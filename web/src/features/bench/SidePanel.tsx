import { Box, Button, Flex, Text } from '@chakra-ui/react'
import { memo, type ReactNode } from 'react'
import type { Recording } from '../../api/client'
import { ClockChoice } from './ClockChoice'
import { MatchCurve } from './MatchCurve'
import { PieceList } from './PieceList'
import { STEPS, useStep } from './steps'
import { TypedField } from './TypedField'
import type { Edits } from './useEdits'

interface Props {
  recording: Recording
  edits: Edits
  piece: number | null
  choosePiece: (index: number | null) => void
}

/** The numbers and the choices beside the waves. */
export const SidePanel = memo(function SidePanel({ recording, edits, piece, choosePiece }: Props) {
  const { map, judgement } = recording
  return (
    <Flex direction="column" gap="4" w="276px" flexShrink={0} borderLeftWidth="1px" px="4" py="3" overflowY="auto">
      <MatchCurve recording={recording} edits={edits} />
      {map && (
        <Section title="Place">
          <TypedField
            label="starts at"
            name="Starts at, seconds"
            shown={(map.offset_s + edits.pendingS).toFixed(6)}
            unit="s"
            keep={(text) => {
              const value = Number(text.replace(',', '.').replace('−', '-'))
              if (!text.trim() || !Number.isFinite(value)) return false
              edits.edit({ kind: 'move', offset_s: value })
              return true
            }}
          />
          <ClockChoice recording={recording} edits={edits} />
          <Fact label="polarity">{judgement?.polarity === -1 ? 'inverted' : 'same'}</Fact>
        </Section>
      )}
      <PieceList recording={recording} edits={edits} piece={piece} choosePiece={choosePiece} />
      {map && (
        <Section title={piece === null ? 'Step of the arrow keys' : 'Step, for the chosen piece'}>
          <StepChoice />
        </Section>
      )}
      {judgement && judgement.notes.length > 0 && (
        <Section title="To know">
          {judgement.notes.map((note) => (
            <Text key={note.code + note.message} fontSize="sm">
              {note.message}
            </Text>
          ))}
        </Section>
      )}
      {recording.versions.length > 0 && (
        <Section title="What was done">
          {recording.versions.slice(-8).map((one) => (
            <Text key={one.number} fontSize="sm" color={map && one.number > map.number ? 'fg.muted' : undefined} fontWeight={one.number === map?.number ? '600' : undefined}>
              {one.number}. {one.sentence}
              {map && one.number > map.number ? ' (undone)' : ''}
            </Text>
          ))}
        </Section>
      )}
    </Flex>
  )
})

function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box>
      <Text fontSize="sm" fontWeight="600" mb="1">
        {title}
      </Text>
      {children}
    </Box>
  )
}

function Fact({ label, children }: { label: string; children: ReactNode }) {
  return (
    <Flex justify="space-between" fontSize="sm" borderBottomWidth="1px" borderStyle="dotted" py="1">
      <Text color="fg.muted">{label}</Text>
      <Text fontFamily="mono" fontSize="xs">
        {children}
      </Text>
    </Flex>
  )
}

function StepChoice() {
  const { step, choose } = useStep()
  return (
    <Flex role="radiogroup" aria-label="Step" borderWidth="1px" borderColor="border.emphasized" rounded="md" overflow="hidden">
      {STEPS.map((one) => (
        <Button
          key={one.key}
          role="radio"
          aria-checked={step === one.key}
          flex="1"
          size="2xs"
          px="0"
          rounded="none"
          fontWeight="normal"
          variant={step === one.key ? 'solid' : 'ghost'}
          onClick={() => choose(one.key)}
        >
          {one.label}
        </Button>
      ))}
    </Flex>
  )
}
