import { Text } from '@chakra-ui/react'
import { Link } from 'wouter'

/** One step of the way back. */
export function Crumb({ to, children }: { to: string; children: string }) {
  return (
    <Text asChild fontSize="sm" color="fg.muted" whiteSpace="nowrap" _hover={{ color: 'fg', textDecoration: 'underline' }}>
      <Link to={to}>{children} ›</Link>
    </Text>
  )
}
