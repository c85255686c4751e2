import { Box, Button, Flex, IconButton, Input, Text } from '@chakra-ui/react'
import { X } from 'lucide-react'
import { memo, useState } from 'react'
import type { Mark } from '../../api/client'
import { clock } from '../../time/times'
import { useBench } from './benchStore'
import { useChosenMarks, useMarkActions, useMarks, type Side } from './marks'
import { Section } from './Section'

/** So many rows are seen at once; more scroll. */
const LIST_HEIGHT = '72px'

/** Sharp sounds and marks of both sides; a chosen one of each can be made one moment. */
export const MarkLists = memo(function MarkLists() {
  const marks = useMarks()
  const chosen = useChosenMarks()
  const { meet, put } = useMarkActions()
  const hasPlace = useBench((s) => s.recording.map !== null)
  const both = chosen.reference !== null && chosen.recording !== null
  const none = marks.reference.length + marks.recording.length === 0
  return (
    <Section title="Marks">
      {none ? (
        <Text fontSize="xs" color="fg.muted">
          No sharp sounds were found. Put a mark at the playhead: in the recording (M), in the reference (Shift M).
        </Text>
      ) : (
        <>
          <Flex gap="2">
            <List side="reference" marks={marks.reference} color="slate.fg" />
            <List side="recording" marks={marks.recording} color="rust.fg" />
          </Flex>
          <Flex gap="1" pt="1">
            <Button
              size="2xs"
              variant="outline"
              flex="1"
              disabled={!both}
              title="Move the recording so that the chosen marks are one moment (E)"
              onClick={meet}
            >
              These two are one moment
            </Button>
            <Button
              size="2xs"
              variant="outline"
              disabled={!hasPlace}
              title="Mark the playhead’s moment in the recording (M), in the reference (Shift M)"
              onClick={() => void put('recording')}
            >
              Mark here
            </Button>
          </Flex>
        </>
      )}
    </Section>
  )
})

function List({ side, marks, color }: { side: Side; marks: readonly Mark[]; color: string }) {
  return (
    <Box flex="1" minW="0">
      <Text fontSize="xs" color={color} title={side === 'reference' ? 'R: the next one' : 'V: the next one'}>
        {side}
      </Text>
      {marks.length > 0 ? (
        <Box maxH={LIST_HEIGHT} overflowY="auto" role="list" aria-label={`Marks of the ${side}`} tabIndex={0}>
          {marks.map((mark) => (
            <Row key={mark.id ?? mark.t_rec} side={side} mark={mark} />
          ))}
        </Box>
      ) : (
        <Text fontSize="xs" color="fg.muted">
          none
        </Text>
      )}
    </Box>
  )
}

function Row({ side, mark }: { side: Side; mark: Mark }) {
  const isChosen = useChosenMarks((s) => s[side] === mark.t_rec)
  const { choose, name, remove } = useMarkActions()
  const [naming, setNaming] = useState(false)
  const { id } = mark
  if (naming && id)
    return (
      <Input
        autoFocus
        size="2xs"
        defaultValue={mark.name}
        aria-label="Name of the mark"
        maxLength={80}
        onBlur={(e) => {
          setNaming(false)
          if (e.target.value !== mark.name) void name(id, e.target.value)
        }}
        onKeyDown={(e) => {
          if (e.key === 'Enter') e.currentTarget.blur()
          if (e.key === 'Escape') setNaming(false)
        }}
      />
    )
  return (
    <Flex
      align="center"
      h="24px"
      fontSize="xs"
      borderBottomWidth="1px"
      borderStyle="dotted"
      bg={isChosen ? 'bg.panel' : undefined}
      role="listitem"
      data-testid="mark"
      data-chosen={isChosen}
    >
      <Text
        as="button"
        aria-pressed={isChosen}
        flex="1"
        minW="0"
        textAlign="left"
        fontFamily="mono"
        fontWeight={isChosen ? '700' : '400'}
        cursor="pointer"
        truncate
        title={
          id
            ? 'Choose it and hear a second around it; double-click to name it'
            : `A sharp sound, ${Math.round((mark.certainty ?? 0) * 100)} % sure: choose it and hear a second around it`
        }
        onClick={() => choose(side, mark.t_rec)}
        onDoubleClick={() => id && setNaming(true)}
      >
        {clock(mark.t_rec, 3)} {mark.name || (id ? 'mark' : '')}
      </Text>
      {id && (
        <IconButton aria-label={`Remove the mark at ${clock(mark.t_rec, 3)}`} size="2xs" variant="ghost" onClick={() => void remove(id)}>
          <X />
        </IconButton>
      )}
    </Flex>
  )
}
