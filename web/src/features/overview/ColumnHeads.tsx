import { Box, Button, Flex, Text } from '@chakra-ui/react'
import { ArrowDown, ArrowUp } from 'lucide-react'
import { FACTS, NAME_WIDTH, Pick } from './RecordingRow'
import type { Column, Sorting } from './sorting'

const HEADS: readonly { column: Column; label: string; width: string }[] = [
  { column: 'name', label: 'recording', width: NAME_WIDTH },
  { column: 'start', label: 'starts at', width: '80px' },
  { column: 'clock', label: 'clock, ppm', width: '86px' },
  { column: 'left over', label: 'left over', width: '80px' },
  { column: 'sure', label: 'sure', width: '72px' },
]

interface Props {
  sorting: Sorting
  turn: (column: Column) => void
  /** Whether all that are shown are chosen. */
  allChosen: boolean
  pickAll: () => void
  /** The figures give way to how each is heard. */
  mixing: boolean
}

/** What the facts beside the strips are; a click sorts by them. */
export function ColumnHeads({ sorting, turn, allChosen, pickAll, mixing }: Props) {
  return (
    <Flex w={FACTS} flexShrink={0} h="24px" pl="7" pr="4" position="relative" align="center" role="group" aria-label="Sort by">
      <Pick label="Choose all that are shown" title="Choose all that are shown (Ctrl A)" isChosen={allChosen} pick={pickAll} />
      {HEADS.filter(({ column }) => !mixing || column === 'name').map(({ column, label, width }) => {
        const isIt = sorting.column === column
        const Arrow = sorting.down ? ArrowDown : ArrowUp
        return (
          <Button
            key={column}
            variant="plain"
            size="2xs"
            h="5"
            w={width}
            minW="0"
            px="0"
            flexShrink={0}
            justifyContent={column === 'name' ? 'flex-start' : 'flex-end'}
            fontWeight={isIt ? '600' : 'normal'}
            fontSize="xs"
            color={isIt ? 'fg' : 'fg.muted'}
            gap="0.5"
            aria-pressed={isIt}
            title={isIt && sorting.down ? 'Back to what needs you first' : `Sort by this${isIt ? ', the other way round' : ''}`}
            onClick={() => turn(column)}
          >
            {isIt && <Arrow size={11} aria-label={sorting.down ? 'falling' : 'rising'} />}
            {label}
          </Button>
        )
      })}
      {mixing && (
        <Text w="318px" pr="4" fontSize="xs" color="fg.muted" textAlign="right">
          level, dB <Box as="span" display="inline-block" w="34px" /> position
        </Text>
      )}
    </Flex>
  )
}
