import { Flex, Input, Text } from '@chakra-ui/react'
import { useEffect, useState } from 'react'
import { sayProblem } from '../../ui/problems'

interface Props {
  label: string
  /** For those who cannot see where it stands. */
  name: string
  shown: string
  unit: string
  title?: string
  /** Takes what was typed; false where it cannot be read. */
  keep: (text: string) => boolean
}

/** A figure that can be typed over: Enter keeps, Escape takes back. */
export function TypedField({ label, name, shown, unit, title, keep }: Props) {
  const [text, setText] = useState(shown)
  useEffect(() => setText(shown), [shown])
  return (
    <Flex justify="space-between" align="center" fontSize="sm" borderBottomWidth="1px" borderStyle="dotted" py="1">
      <Text color="fg.muted">{label}</Text>
      <Flex align="center" gap="1">
        <Input
          size="2xs"
          w="112px"
          textAlign="right"
          fontFamily="mono"
          bg="bg.panel"
          aria-label={name}
          title={title}
          value={text}
          onChange={(e) => setText(e.target.value)}
          onBlur={({ currentTarget }) => {
            if (text.trim() === shown) return setText(shown)
            if (keep(text)) return
            // What is not in force must not stand there as if it were.
            setText(shown)
            sayProblem(`“${text}” cannot be read${title ? `: type ${title}` : ''}.`, currentTarget)
          }}
          onKeyDown={(e) => {
            if (e.key === 'Enter') e.currentTarget.blur()
            if (e.key === 'Escape') setText(shown)
          }}
        />
        <Text fontSize="xs" w="26px">
          {unit}
        </Text>
      </Flex>
    </Flex>
  )
}
