import { Box, Heading } from '@chakra-ui/react'
import type { ReactNode } from 'react'

/** A part of the side panel under its heading. */
export function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box>
      <Heading as="h2" size="sm" fontSize="sm" lineHeight="1.5" mb="1">
        {title}
      </Heading>
      {children}
    </Box>
  )
}
