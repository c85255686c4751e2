import { Box, Button, Flex, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, told } from '../../api/client'
import { setsOptions } from '../../api/queries'

/** Recordings that look like one recorder's: offered, never forced. */
export function SetOffers({ projectId }: { projectId: string }) {
  const client = useQueryClient()
  const { data } = useQuery(setsOptions(projectId))
  const path = { path: { project_id: projectId } }
  const settled = { onSettled: () => client.invalidateQueries({ queryKey: ['sets', projectId] }) }
  const tie = useMutation({
    mutationFn: (offer: { recording_ids: string[]; one_after_another: boolean }) =>
      told(
        api.POST('/api/projects/{project_id}/sets', {
          params: path,
          body: { recording_ids: offer.recording_ids, one_after_another: offer.one_after_another },
        }),
      ),
    ...settled,
  })
  const refuse = useMutation({
    mutationFn: (recording_ids: string[]) =>
      told(api.POST('/api/projects/{project_id}/no-sets', { params: path, body: { recording_ids } })),
    ...settled,
  })
  return data?.offered.map((offer) => (
    <Flex
      key={offer.recording_ids.join()}
      mx="4"
      my="1"
      px="3"
      py="1.5"
      gap="3"
      align="center"
      bg="bg.panel"
      borderWidth="1px"
      rounded="md"
      position="relative"
      zIndex="2"
      data-testid="set-offer"
    >
      <Box flex="1" minW="0">
        <Text fontSize="sm">{offer.words}</Text>
        <Text fontSize="xs" color="fg.muted">
          {offer.reason} Tied as a set they move as one and keep their phase.
        </Text>
      </Box>
      <Button size="2xs" variant="outline" loading={tie.isPending} onClick={() => tie.mutate(offer)}>
        Tie as a set
      </Button>
      <Button size="2xs" variant="ghost" loading={refuse.isPending} onClick={() => refuse.mutate(offer.recording_ids)}>
        They are none
      </Button>
    </Flex>
  ))
}
