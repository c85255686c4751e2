import { Box, Button, CloseButton, Dialog, Flex, Portal, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { Folder, FolderUp } from 'lucide-react'
import { useState } from 'react'
import { create } from 'zustand'
import { folderOptions } from '../../api/queries'
import { takeInAll } from '../../api/upload'
import { megabytes } from '../../time/times'

const LAST_FOLDER = 'gullywind-last-folder'
const useFolderDialog = create<{ open: boolean }>(() => ({ open: false }))

/** Opens the dialog, where the server's setting allows it; null where it does not. */
export function useFolders(): (() => void) | null {
  const { data: allowed } = useQuery({ ...folderOptions(null), staleTime: Infinity })
  return allowed && allowed.folders.length > 0 ? () => useFolderDialog.setState({ open: true }) : null
}

/** Recordings of a folder on the server's machine, taken in where they lie. */
export function FolderDialog({ projectId }: { projectId: string }) {
  const { open } = useFolderDialog()
  return (
    <Dialog.Root open={open} onOpenChange={(e) => useFolderDialog.setState({ open: e.open })} size="md" lazyMount unmountOnExit>
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="bg.panel">
            <Contents projectId={projectId} close={() => useFolderDialog.setState({ open: false })} />
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}

function Contents({ projectId, close }: { projectId: string; close: () => void }) {
  const [path, setPath] = useState(() => localStorage.getItem(LAST_FOLDER))
  const { data: folder, error } = useQuery({ ...folderOptions(path), retry: false })
  const go = (to: string | null): void => {
    if (to === null) localStorage.removeItem(LAST_FOLDER)
    else localStorage.setItem(LAST_FOLDER, to)
    setPath(to)
  }
  const files = folder?.files ?? []
  const bytes = files.reduce((sum, one) => sum + one.size_bytes, 0)
  return (
    <>
      <Dialog.Header pb="2">
        <Dialog.Title>Bring in a folder of this machine</Dialog.Title>
        <Dialog.CloseTrigger asChild>
          <CloseButton size="sm" />
        </Dialog.CloseTrigger>
      </Dialog.Header>
      <Dialog.Body>
        <Text fontSize="sm" color="fg.muted" mb="3">
          The files stay where they are and are not copied: leave them there, unchanged, as long as you work on them.
        </Text>
        {path !== null && (
          <Text fontSize="sm" fontWeight="600" mb="1" wordBreak="break-all" data-testid="folder-path">
            {path}
          </Text>
        )}
        <Box maxH="300px" overflowY="auto" borderWidth="1px" rounded="md" py="1">
          {path !== null && <Line icon={<FolderUp size={15} />} name="up" onClick={() => go(folder?.parent ?? null)} />}
          {folder?.folders.map((one) => (
            <Line key={one.path} icon={<Folder size={15} />} name={one.name} onClick={() => go(one.path)} />
          ))}
          {files.map((one) => (
            <Flex key={one.path} px="3" py="1" fontSize="sm" gap="3">
              <Text flex="1" truncate title={one.name}>
                {one.name}
              </Text>
              <Text color="fg.muted" whiteSpace="nowrap">
                {megabytes(one.size_bytes)}
              </Text>
            </Flex>
          ))}
          {folder && path !== null && folder.folders.length + files.length === 0 && (
            <Text px="3" py="1" fontSize="sm" color="fg.muted">
              No recordings here.
            </Text>
          )}
          {error && (
            <Text role="alert" px="3" py="1" fontSize="sm" color="ochre.fg">
              {error.message}
            </Text>
          )}
        </Box>
      </Dialog.Body>
      <Dialog.Footer>
        <Button size="sm" variant="outline" onClick={close}>
          Cancel
        </Button>
        <Button
          size="sm"
          disabled={files.length === 0}
          title={files.length ? undefined : 'Open a folder with recordings first'}
          onClick={() => {
            void takeInAll(projectId, files)
            close()
          }}
        >
          {files.length
            ? `Bring in ${files.length === 1 ? 'this recording' : `these ${files.length} recordings`}, ${megabytes(bytes)}`
            : 'Bring in'}
        </Button>
      </Dialog.Footer>
    </>
  )
}

function Line({ icon, name, onClick }: { icon: React.ReactNode; name: string; onClick: () => void }) {
  return (
    <Button variant="ghost" size="xs" w="100%" justifyContent="flex-start" rounded="0" onClick={onClick}>
      {icon} {name}
    </Button>
  )
}
