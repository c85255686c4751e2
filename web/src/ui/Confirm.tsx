import { Button, Dialog, Portal, Text } from '@chakra-ui/react'
import { create } from 'zustand'

export interface Question {
  title: string
  text: string
  /** What the button says that goes on. */
  act: string
  /** What the button says that leaves all as it is. */
  keep: string
  then: () => void
}

const useQuestion = create<{ asked: Question | null; open: boolean }>(() => ({ asked: null, open: false }))

/** Ask before something that undo does not bring back. */
export const ask = (asked: Question): void => useQuestion.setState({ asked, open: true })

export function Confirm() {
  const { asked, open } = useQuestion()
  const close = (): void => useQuestion.setState({ open: false })
  return (
    <Dialog.Root role="alertdialog" open={open} onOpenChange={(e) => useQuestion.setState({ open: e.open })} size="sm">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="bg.panel">
            <Dialog.Header>
              <Dialog.Title>{asked?.title}</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body>
              <Text>{asked?.text}</Text>
            </Dialog.Body>
            <Dialog.Footer>
              <Button size="sm" variant="outline" onClick={close}>
                {asked?.keep}
              </Button>
              <Button
                size="sm"
                colorPalette="ochre"
                onClick={() => {
                  close()
                  asked?.then()
                }}
              >
                {asked?.act}
              </Button>
            </Dialog.Footer>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}
