import { Box, CloseButton, Dialog, Flex, Heading, Kbd, Portal, Text } from '@chakra-ui/react'
import { useEffect, useRef } from 'react'
import { create } from 'zustand'
import { onKeys } from './keys'

export const useHelp = create<{ open: boolean }>(() => ({ open: false }))

/** What each key does, by what it is for; the overview's keys are a group of their own. */
const GROUPS: readonly { about: string; keys: readonly [string, string][] }[] = [
  {
    about: 'Hearing',
    keys: [
      ['Space', 'play or stop'],
      ['1 – 6', 'way of hearing'],
      ['L', 'repeat the selection, else what lies around the chosen tie; or stop repeating'],
      ['Shift L', 'start, middle and end in turn, again and again'],
      ['A', 'the last second again'],
      ['Z', 'while held: hear what the pointer passes in the waves'],
      ['B', 'while held: show and hear the version before'],
      ['N', 'try the next place that fits'],
    ],
  },
  {
    about: 'Moving and cutting',
    keys: [
      ['← →', 'move the recording, or the chosen piece or tie, by one step'],
      ['Shift ← →', 'ten steps at once'],
      ['[ ]', 'smaller or larger step'],
      ['Alt ← →', 'move the end by one step, the start held: the clock follows'],
      ['H', 'hold the chosen tie, else the start; or let it go'],
      ['C', 'cut at the playhead'],
      ['S', 'the recording’s first sound to the playhead'],
      ['Delete', 'remove the chosen piece or tie'],
      ['X', 'lock the recording: it is finished; or unlock it'],
    ],
  },
  {
    about: 'Marks',
    keys: [
      ['M, Shift M', 'mark the playhead’s moment in the recording, in the reference'],
      ['V, R', 'the next mark of the recording, of the reference, with a second around it'],
      ['E', 'the two chosen marks are one moment'],
      ['P', 'the recording’s chosen mark to the playhead'],
    ],
  },
  {
    about: 'Ties of a bend',
    keys: [
      ['W', 'a tie at the playhead'],
      ['Y, Shift Y', 'the next tie, the one before'],
      ['Q, U, Shift U', 'hear the chosen tie in the reference, the recording, both'],
      ['I', 'split the difference'],
      ['D', 'from where a vowel opens to where its syllable begins, and back'],
      ['Alt', 'held in a drag: a tie does not settle on what begins nearby'],
      ['G', 'the other doubles behind this one, or away'],
    ],
  },
  {
    about: 'Seeing',
    keys: [
      ['+ −', 'closer, farther'],
      ['0', 'the whole event'],
      ['F', 'follow the playhead, or not'],
      ['O', 'waves near by: one over the other, or apart'],
      ['T', 'trace: left over, or as recorded; a bend as bent, or as performed'],
      [', .', 'the frame before or the next, with its sound'],
      ['Shift P', 'picture: larger, over the whole window, away'],
    ],
  },
  {
    about: 'In the overview',
    keys: [
      ['A', 'add recordings'],
      ['/', 'find a recording by its name or note'],
      ['N', 'hear the next place that fits where it tells most'],
      ['T, D', 'take the place that is heard, set the recording aside'],
      ['Ctrl A', 'choose all that are shown; Shift with a click chooses a range'],
      ['Delete, X', 'remove, lock or unlock what is chosen'],
    ],
  },
  {
    about: 'Everywhere',
    keys: [
      ['Ctrl Z', 'undo: of this recording, in the overview of the whole project'],
      ['Ctrl Shift Z', 'redo'],
      ['J, K', 'next or previous recording'],
      ['Esc', 'let go of piece, selection or what is chosen; one screen back'],
      ['?', 'this list'],
    ],
  },
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
          <Dialog.Content bg="bg.panel" maxW="1240px">
            <Dialog.Header pb="2">
              <Dialog.Title>Keys</Dialog.Title>
            </Dialog.Header>
            {/* It may scroll, so it is a stop of the Tab key. */}
            <Dialog.Body tabIndex={0}>
              <Box columnCount={{ base: 1, md: 2, lg: 3 }} columnGap="8">
                {GROUPS.map(({ about, keys }) => (
                  <Box key={about} as="section" aria-label={about} breakInside="avoid" pb="3">
                    <Heading as="h3" size="sm" pb="1">
                      {about}
                    </Heading>
                    {keys.map(([key, what]) => (
                      <Flex key={key} gap="3" py="2px">
                        <Flex w="112px" flexShrink={0} justify="flex-end" align="flex-start">
                          <Kbd size="sm" wordSpacing="normal">
                            {key}
                          </Kbd>
                        </Flex>
                        <Text fontSize="xs" lineHeight="1.35">
                          {what}
                        </Text>
                      </Flex>
                    ))}
                  </Box>
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
