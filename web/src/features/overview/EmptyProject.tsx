import { Button, Flex, Text } from '@chakra-ui/react'
import { useFolders } from './FolderDialog'
import { UploadList } from './UploadList'

/** Teaches the first step. */
export function EmptyProject({ projectId, add }: { projectId: string; add: () => void }) {
  const fromFolder = useFolders()
  return (
    <Flex
      flex="1"
      direction="column"
      align="center"
      justify="center"
      gap="4"
      m="6"
      borderWidth="2px"
      borderStyle="dashed"
      borderColor="border.emphasized"
      rounded="lg"
    >
      <Text fontFamily="sentence" fontSize="2xl">
        Drop all recordings of the event here
      </Text>
      <Text color="fg.muted" maxW="520px" textAlign="center">
        Sound or video, as many as there are: the good recorder, the cameras, the phones. Then choose which one is the reference, and let
        the others find their place by their sound.
      </Text>
      <Flex gap="3">
        <Button size="sm" onClick={add}>
          Choose files
        </Button>
        {fromFolder && (
          <Button size="sm" variant="outline" onClick={fromFolder}>
            A folder of this machine
          </Button>
        )}
      </Flex>
      <UploadList projectId={projectId} />
    </Flex>
  )
}
