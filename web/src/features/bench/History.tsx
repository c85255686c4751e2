import { Box, Button, Text } from '@chakra-ui/react'
import { useEffect, useRef } from 'react'
import type { Recording } from '../../api/client'
import { Section } from './Section'
import type { Edits } from './useEdits'

/** All that was done to the recording, oldest first; any step is gone to by a click, back or forth. */
export function History({ recording, edits }: { recording: Recording; edits: Edits }) {
  const list = useRef<HTMLDivElement>(null)
  const now = recording.map?.number ?? 0
  // The step that is in force is in sight, without moving the panel itself.
  useEffect(() => {
    const at = list.current?.querySelector<HTMLElement>('[aria-current]')
    if (list.current && at) list.current.scrollTop = at.offsetTop - list.current.clientHeight + at.offsetHeight
  }, [now, recording.versions.length])
  if (recording.versions.length === 0) return null
  const steps = [{ number: 0, sentence: 'as it was brought in' }, ...recording.versions]
  return (
    <Section title="What was done">
      <Box ref={list} as="ol" maxH="220px" overflowY="auto" position="relative" data-testid="history">
        {steps.map((one) => (
          <Box as="li" key={one.number} listStyleType="none">
            <Button
              variant="ghost"
              size="2xs"
              h="auto"
              w="100%"
              px="1"
              py="0.5"
              justifyContent="flex-start"
              textAlign="left"
              whiteSpace="normal"
              fontSize="sm"
              lineHeight="1.35"
              fontWeight={one.number === now ? '600' : 'normal'}
              color={one.number > now ? 'fg.muted' : undefined}
              aria-current={one.number === now ? 'step' : undefined}
              title={one.number === now ? 'This is how it is now' : one.number > now ? 'Undone; click to have it again' : 'Click to go back to this'}
              onClick={() => one.number !== now && edits.edit({ kind: 'go', number: one.number })}
            >
              <Text as="span">
                {one.number > 0 && `${one.number}. `}
                {one.sentence}
                {one.number > now && ' (undone)'}
              </Text>
            </Button>
          </Box>
        ))}
      </Box>
    </Section>
  )
}
