import { Button, Flex, Heading, Text } from '@chakra-ui/react'
import { Link } from 'wouter'
import { Page } from './Page'
import { TopBar } from './TopBar'

/** What stands where something does not exist (any more), and the way back. */
export function Gone({ words, to = '/', back = 'To the projects' }: { words: string; to?: string; back?: string }) {
  return (
    <Page name="Not here">
      <TopBar
        left={
          <Heading as="h1" size="md">
            Not here
          </Heading>
        }
      />
      <Flex flex="1" direction="column" align="center" justify="center" gap="4" px="8">
        <Text fontFamily="sentence" fontSize="xl" role="alert" textAlign="center">
          {words}
        </Text>
        <Button asChild size="sm" variant="outline">
          <Link to={to}>{back}</Link>
        </Button>
      </Flex>
    </Page>
  )
}
