import { Flex, IconButton, Input, Text } from '@chakra-ui/react'
import { Minus, Plus } from 'lucide-react'
import { sayProblem } from '../../ui/problems'
import { useTyped } from '../../ui/useTyped'

interface Props {
  label: string
  /** For those who cannot see where it stands. */
  name: string
  shown: string
  unit: string
  title?: string
  /** Takes what was typed; false where it cannot be read. */
  keep: (text: string) => boolean
  /** Whole steps, seen at once; without it the figure can only be typed. */
  turn?: { less: string; more: string; by: (steps: 1 | -1) => void }
}

/** A figure that can be typed over: Enter keeps, Escape takes back; some can be turned as well, by arrows too. */
export function TypedField({ label, name, shown, unit, title, keep, turn }: Props) {
  const [text, setText] = useTyped(shown)
  return (
    <Flex justify="space-between" align="center" fontSize="sm" borderBottomWidth="1px" borderStyle="dotted" py="1">
      <Text color="fg.muted">{label}</Text>
      <Flex align="center" gap="1">
        {turn && (
          <IconButton size="2xs" variant="ghost" aria-label={turn.less} title={turn.less} onClick={() => turn.by(-1)}>
            <Minus />
          </IconButton>
        )}
        <Input
          size="2xs"
          w={turn ? '56px' : '112px'}
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
            if (turn && (e.key === 'ArrowUp' || e.key === 'ArrowDown')) {
              e.preventDefault()
              turn.by(e.key === 'ArrowUp' ? 1 : -1)
            }
          }}
        />
        {turn && (
          <IconButton size="2xs" variant="ghost" aria-label={turn.more} title={turn.more} onClick={() => turn.by(1)}>
            <Plus />
          </IconButton>
        )}
        <Text fontSize="xs" w="26px">
          {unit}
        </Text>
      </Flex>
    </Flex>
  )
}
