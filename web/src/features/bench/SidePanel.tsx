import { Box, Button, Flex, Input, Text } from '@chakra-ui/react'
import { memo, useEffect, useState, type ReactNode } from 'react'
import type { Recording } from '../../api/client'
import { MatchCurve } from './MatchCurve'
import { STEPS, useStep } from './steps'
import type { Edits } from './useEdits'

/** The numbers and the choices beside the waves. */
export const SidePanel = memo(function SidePanel({ recording, edits }: { recording: Recording; edits: Edits }) {
  const { map, judgement } = recording
  return (
    <Flex direction="column" gap="4" w="276px" flexShrink={0} borderLeftWidth="1px" px="4" py="3" overflowY="auto">
      <MatchCurve recording={recording} edits={edits} />
      {map && (
        <Section title="Place">
          <OffsetField offsetS={map.offset_s + edits.pendingS} edits={edits} />
          <Fact label="clock">
            {map.clock_figures}
          </Fact>
          <Fact label="polarity">{judgement?.polarity === -1 ? 'inverted' : 'same'}</Fact>
        </Section>
      )}
      {map && (
        <Section title="Step of the arrow keys">
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

function OffsetField({ offsetS, edits }: { offsetS: number; edits: Edits }) {
  const shown = offsetS.toFixed(6)
  const [text, setText] = useState(shown)
  useEffect(() => setText(shown), [shown])
  const keep = (): void => {
    const value = Number(text.replace(',', '.').replace('−', '-'))
    if (text.trim() && Number.isFinite(value)) {
      if (value.toFixed(6) !== shown) edits.edit({ kind: 'move', offset_s: value })
    } else setText(shown)
  }
  return (
    <Flex justify="space-between" align="center" fontSize="sm" borderBottomWidth="1px" borderStyle="dotted" py="1">
      <Text color="fg.muted">starts at</Text>
      <Flex align="center" gap="1">
        <Input
          size="2xs"
          w="112px"
          textAlign="right"
          fontFamily="mono"
          bg="bg.panel"
          aria-label="Starts at, seconds"
          value={text}
          onChange={(e) => setText(e.target.value)}
          onBlur={keep}
          onKeyDown={(e) => {
            if (e.key === 'Enter') e.currentTarget.blur()
            if (e.key === 'Escape') setText(shown)
          }}
        />
        <Text fontSize="xs">s</Text>
      </Flex>
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
