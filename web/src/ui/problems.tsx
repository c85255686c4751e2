import { Box, CloseButton, Flex, Text } from '@chakra-ui/react'
import { create } from 'zustand'

type Tone = 'problem' | 'news'

const useProblem = create<{ text: string | null; tone: Tone }>(() => ({ text: null, tone: 'problem' }))

/** Long enough to look up and read it. */
const READ_MS = 5000
const MS_PER_LETTER = 60
let timer = 0

/** Show one sentence about what could not be done, until it was read, is dismissed or replaced. */
export const sayProblem = (text: string): void => say(text, 'problem')

/** Show one sentence about what has come to its end. */
export const sayNews = (text: string): void => say(text, 'news')

function say(text: string, tone: Tone): void {
  window.clearTimeout(timer)
  useProblem.setState({ text, tone })
  timer = window.setTimeout(() => useProblem.setState({ text: null }), READ_MS + text.length * MS_PER_LETTER)
}

export function Problems() {
  const { text, tone } = useProblem()
  if (!text) return null
  return (
    <Box position="fixed" bottom="76px" left="50%" transform="translateX(-50%)" zIndex="toast" maxW="640px">
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
  )
}
