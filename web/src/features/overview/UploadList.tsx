import { Box, Button, Flex, Text } from '@chakra-ui/react'
import { stopUpload, useUploads, useUploadsOf } from '../../api/upload'

export function UploadList({ projectId }: { projectId: string }) {
  const uploads = useUploadsOf(projectId)
  const dismiss = useUploads((s) => s.dismiss)
  return (
    <Box w="100%" maxW="720px" px="4">
      {uploads.map((one) => (
        <Flex key={one.id} align="center" gap="3" py="1.5" fontSize="sm">
          <Text flex="1" truncate>
            {one.name}
          </Text>
          {one.error ? (
            <>
              <Text color="ochre.fg" role="alert">
                {one.error}
              </Text>
              <Button size="2xs" variant="ghost" onClick={() => dismiss(one.id)}>
                Dismiss
              </Button>
            </>
          ) : (
            <>
              <Box w="200px" h="4px" bg="bg.subtle" rounded="sm">
                <Box h="100%" w={`${one.fraction * 100}%`} bg="slate.solid" rounded="sm" />
              </Box>
              <Text w="60px" color="fg.muted">
                {one.fraction > 0 ? `${Math.round(one.fraction * 100)} %` : 'waits'}
              </Text>
              <Button size="2xs" variant="ghost" aria-label={`Stop bringing in ${one.name}`} onClick={() => stopUpload(one.id)}>
                Stop
              </Button>
            </>
          )}
        </Flex>
      ))}
    </Box>
  )
}
