import { Flex, type FlexProps } from '@chakra-ui/react'
import { useEffect } from 'react'

interface Props extends FlexProps {
  /** What this page is about, for the window's title and for those who hear the screen. */
  name: string
}

/** A whole page: its landmark and its name in the window's title. */
export function Page({ name, children, ...rest }: Props) {
  useEffect(() => {
    document.title = `${name} · Gullywind`
  }, [name])
  return (
    <Flex as="main" direction="column" h="100%" {...rest}>
      {children}
    </Flex>
  )
}
