import { Box, Flex, IconButton } from '@chakra-ui/react'
import { Keyboard, Moon, Sun } from 'lucide-react'
import type { ReactNode } from 'react'
import { useDark } from './dark'
import { useHelp } from './ShortcutsHelp'

/** The line at the top: where one is at the left, what can be done at the right. */
export function TopBar({ left, right }: { left: ReactNode; right?: ReactNode }) {
  const { dark, toggle } = useDark()
  return (
    <Flex
      as="header"
      align="center"
      gap="3"
      px="4"
      py="1"
      minH="44px"
      flexWrap={{ base: 'wrap', md: 'nowrap' }}
      borderBottomWidth="1px"
      flexShrink={0}
    >
      {left}
      <Box flex="1" />
      {right}
      <IconButton aria-label="Keys (?)" title="Keys (?)" size="xs" variant="ghost" onClick={() => useHelp.setState({ open: true })}>
        <Keyboard />
      </IconButton>
      <IconButton aria-label={dark ? 'Light' : 'Dark'} title={dark ? 'Light' : 'Dark'} size="xs" variant="ghost" onClick={toggle}>
        {dark ? <Sun /> : <Moon />}
      </IconButton>
    </Flex>
  )
}
