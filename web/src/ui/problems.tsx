import { Box, CloseButton, Flex, Text } from '@chakra-ui/react'
import { create } from 'zustand'

const useProblem = create<{ text: string | null }>(() => ({ text: null }))

/** Show one sentence about what could not be done, until it is dismissed or replaced. */
export const sayProblem = (text: string): void => useProblem.setState({ text })

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
