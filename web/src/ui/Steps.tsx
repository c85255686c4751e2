import { Box, Button, Text } from '@chakra-ui/react'
import { useEffect, useRef } from 'react'

/** One thing that was done. */
export interface Step {
  number: number
  words: string
  applied: boolean
}

/** All that was done, oldest first; any step is gone to by a click, back or forth. */
export function Steps({ steps, go, maxH }: { steps: readonly Step[]; go: (number: number) => void; maxH: string }) {
  const list = useRef<HTMLOListElement>(null)
  const now = steps.findLast((one) => one.applied)?.number ?? 0
  // The step that is in force is in sight, without moving what is around the list.
  useEffect(() => {
    const at = list.current?.querySelector<HTMLElement>('[aria-current]')
    if (list.current && at) list.current.scrollTop = at.offsetTop - list.current.clientHeight + at.offsetHeight
  }, [now, steps.length])
  return (
    <Box ref={list} as="ol" maxH={maxH} overflowY="auto" position="relative" data-testid="history">
      {[{ number: 0, words: 'as it was brought in', applied: true }, ...steps].map((one, index) => (
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
            color={one.applied ? undefined : 'fg.muted'}
            aria-current={one.number === now ? 'step' : undefined}
            title={
              one.number === now ? 'This is how it is now' : one.applied ? 'Click to go back to this' : 'Undone; click to have it again'
            }
            onClick={() => one.number !== now && go(one.number)}
          >
            <Text as="span">
              {index > 0 && `${index}. `}
              {one.words}
              {!one.applied && ' (undone)'}
            </Text>
          </Button>
        </Box>
      ))}
    </Box>
  )
}
