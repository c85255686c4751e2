import { Box, CloseButton, Flex, Text } from '@chakra-ui/react'
import { create } from 'zustand'
import { lastTouch, spotOf, type Spot } from './lastTouch'

type Tone = 'problem' | 'news'

const useProblem = create<{ text: string | null; tone: Tone; beside: Spot | null }>(() => ({
  text: null,
  tone: 'problem',
  beside: null,
}))

/** Long enough to look up and read it. */
const READ_MS = 5000
const MS_PER_LETTER = 60
const WIDTH_PX = 440
const EDGE_PX = 12
const GAP_PX = 6
let timer = 0

/**
 * Show one sentence about what could not be done, until it was read, is dismissed or replaced: beside what was refused,
 * else beside what was touched last.
 */
export const sayProblem = (text: string, cause?: Element): void => say(text, 'problem', (cause && spotOf(cause)) ?? lastTouch())

/** Show one sentence about what has come to its end, at the foot of the page. */
export const sayNews = (text: string): void => say(text, 'news', null)

function say(text: string, tone: Tone, beside: Spot | null): void {
  window.clearTimeout(timer)
  useProblem.setState({ text, tone, beside })
  timer = window.setTimeout(() => useProblem.setState({ text: null }), READ_MS + text.length * MS_PER_LETTER)
}

/** Below its cause, above it in the lower half of the window. */
function placeBeside(beside: Spot | null): { left: string; top?: string; bottom?: string } {
  const most = `calc(100vw - ${WIDTH_PX + EDGE_PX}px)`
  if (!beside) return { left: `calc(50vw - ${WIDTH_PX / 2}px)`, bottom: '76px' }
  const left = `max(${EDGE_PX}px, min(${Math.round(beside.x - WIDTH_PX / 2)}px, ${most}))`
  return beside.bottom < window.innerHeight / 2
    ? { left, top: `${Math.max(EDGE_PX, Math.round(beside.bottom + GAP_PX))}px` }
    : { left, bottom: `${Math.max(EDGE_PX, Math.round(window.innerHeight - beside.top + GAP_PX))}px` }
}

export function Problems() {
  const { text, tone, beside } = useProblem()
  if (!text) return null
  return (
    <Flex position="fixed" style={placeBeside(beside)} w={`${WIDTH_PX}px`} maxW="95vw" justify="center" zIndex="toast" pointerEvents="none">
      <Box pointerEvents="auto">
        <Flex
          role={tone === 'problem' ? 'alert' : 'status'}
          align="center"
          gap="3"
          px="4"
          py="2"
          bg={tone === 'problem' ? 'var(--ochre-sheet)' : 'bg.panel'}
          borderWidth="1px"
          borderColor={tone === 'problem' ? 'ochre.solid' : 'border.emphasized'}
          rounded="md"
          shadow="md"
        >
          <Text fontSize="sm">{text}</Text>
          <CloseButton size="xs" aria-label="Dismiss" onClick={() => useProblem.setState({ text: null })} />
        </Flex>
      </Box>
    </Flex>
  )
}
