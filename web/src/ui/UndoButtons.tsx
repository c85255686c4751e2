import { Button, IconButton, Text } from '@chakra-ui/react'
import { Redo2, Undo2 } from 'lucide-react'

interface Props {
  /** What would be taken back or done again next; null: nothing. */
  undo: string | null
  redo: string | null
  step: (kind: 'undo' | 'redo') => void
  /** Where there is little room: what it is stands in the tip alone. */
  compact?: boolean
}

/** Take back the last change, named, or do again what was taken back. */
export function UndoButtons({ undo, redo, step, compact = false }: Props) {
  return (
    <>
      <Button
        size="xs"
        variant="outline"
        flexShrink={1}
        minW="0"
        disabled={undo === null}
        title={undo === null ? 'Nothing was done that could be undone' : `Undo: ${undo} (Ctrl Z)`}
        aria-label={undo === null ? 'Undo' : `Undo: ${undo}`}
        onClick={() => step('undo')}
      >
        <Undo2 size={13} />
        {!compact && (
          <Text as="span" maxW="180px" truncate>
            {undo ?? 'nothing to undo'}
          </Text>
        )}
      </Button>
      <IconButton
        flexShrink={0}
        aria-label={redo === null ? 'Redo' : `Redo: ${redo}`}
        title={redo === null ? 'Redo' : `Redo: ${redo} (Ctrl Shift Z)`}
        size="xs"
        variant="outline"
        disabled={redo === null}
        onClick={() => step('redo')}
      >
        <Redo2 />
      </IconButton>
    </>
  )
}
