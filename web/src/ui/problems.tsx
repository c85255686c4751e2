import { Box, CloseButton, Flex, Text } from '@chakra-ui/react'
import { create } from 'zustand'

const useProblem = create<{ text: string | null }>(() => ({ text: null }))

/** Long enough to look up and read it. */
const READ_MS = 5000
const MS_PER_LETTER = 60
let timer = 0

/** Show one sentence about what could not be done, until it was read, is dismissed or replaced. */
export const sayProblem = (text: string): void => {
  window.clearTimeout(timer)
  useProblem.setState({ text })
  timer = window.setTimeout(() => useProblem.setState({ text: null }), READ_MS + text.length * MS_PER_LETTER)
}

export function Problems() {
  const text = useProblem((s) => s.text)
  if (!text) return null
  return (
    <Box position="fixed" bottom="76px" left="50%" transform="translateX(-50%)" zIndex="toast" maxW="640px">
      <Flex role="alert" align="center" gap="3" px="4" py="2" bg="var(--ochre-sheet)" borderWidth="1px" borderColor="ochre.solid" rounded="md" shadow="md">
        <Text fontSize="sm">{text}</Text>
        <CloseButton size="xs" aria-label="Dismiss" onClick={() => useProblem.setState({ text: null })} />
      </Flex>
    </Box>
  )
}
