import { Box, CloseButton, Dialog, Flex, Kbd, Portal, Text } from '@chakra-ui/react'
import { useEffect, useRef } from 'react'
import { create } from 'zustand'
import { onKeys } from './keys'

export const useHelp = create<{ open: boolean }>(() => ({ open: false }))

const SHORTCUTS: readonly [string, string][] = [
  ['Space', 'play or stop'],
  ['1 – 6', 'way of hearing'],
  ['L', 'repeat the selection, else what lies around the chosen tie; or stop repeating'],
  ['Shift L', 'hear start, middle and end in turn, again and again'],
  ['Z', 'while held: hear what the pointer passes in the waves'],
  ['A', 'the last second again; in the overview add recordings'],
  ['← →', 'move the recording, or the chosen piece or tie, by one step'],
  ['Shift ← →', 'ten steps at once'],
  ['Alt ← →', 'move the end by one step, the start held: the clock follows'],
  ['H', 'hold the chosen tie, else the start; or let it go'],
  ['C', 'cut at the playhead'],
  ['M / Shift M', 'mark the playhead’s moment in the recording, in the reference'],
  ['V / R', 'the next mark of the recording, of the reference: heard with a second around it'],
  ['E', 'the two marks that are chosen are one moment'],
  ['P', 'the chosen mark of the recording to the playhead'],
  ['S', 'the recording’s first sound to the playhead'],
  ['Delete', 'remove the chosen piece or tie'],
  ['W', 'a tie at the playhead'],
  ['Y / Shift Y', 'the next tie, the one before'],
  ['Q / U / Shift U', 'hear the chosen tie in the reference, the recording, both'],
  ['I', 'split the difference at the chosen tie'],
  ['D', 'from where a syllable’s vowel opens to where it begins, and back'],
  ['G', 'the other doubles behind this one, or away'],
  ['X', 'lock the recording: it is finished; or unlock it'],
  [', .', 'the frame before or the next, with its sound'],
  ['Shift P', 'picture: larger, over the whole window, away'],
  ['T', 'trace: what is left over, or as it was recorded; a bend as bent, or as performed'],
  ['O', 'waves near by: one over the other, or apart'],
  ['[ ]', 'smaller or larger step'],
  ['B', 'show and hear the version before, while held back'],
  ['Ctrl Z / Ctrl Shift Z', 'undo, redo: of this recording, in the overview of the whole project'],
  ['+ −', 'closer, farther'],
  ['0', 'the whole event'],
  ['F', 'follow the playhead, or not'],
  ['N', 'try the next place that fits; in the overview hear it where it tells most'],
  ['T / D', 'overview: take the place that is heard, set the recording aside'],
  ['Ctrl A', 'overview: choose all that are shown; Shift with a click chooses a range'],
  ['Delete / X', 'overview: remove, lock or unlock what is chosen'],
  ['J / K', 'next or previous recording'],
  ['/', 'find a recording by its name or note (overview)'],
  ['Esc', 'let go of piece, selection or what is chosen; one screen back'],
  ['?', 'this list'],
]

export function ShortcutsHelp() {
  const open = useHelp((s) => s.open)
  const close = useRef<HTMLButtonElement>(null)
  useEffect(() => onKeys({ 'Shift+?': () => useHelp.setState({ open: true }) }), [])
  return (
    <Dialog.Root
      open={open}
      onOpenChange={(e) => useHelp.setState({ open: e.open })}
      size="xl"
      scrollBehavior="inside"
      initialFocusEl={() => close.current}
    >
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="bg.panel" maxW="1080px">
            <Dialog.Header>
              <Dialog.Title>Keys</Dialog.Title>
            </Dialog.Header>
            {/* It may scroll, so it is a stop of the Tab key. */}
            <Dialog.Body tabIndex={0}>
              <Box columnCount={{ base: 1, md: 2 }} columnGap="8">
                {SHORTCUTS.map(([keys, what]) => (
                  <Flex key={keys} gap="4" py="1" breakInside="avoid">
                    <Flex w="168px" flexShrink={0} justify="flex-end">
                      <Kbd>{keys}</Kbd>
                    </Flex>
                    <Text fontSize="sm">{what}</Text>
                  </Flex>
                ))}
              </Box>
            </Dialog.Body>
            <Dialog.CloseTrigger asChild>
              <CloseButton ref={close} size="sm" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}
