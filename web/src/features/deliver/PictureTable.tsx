import { Box, Button, Flex, NativeSelect, Text } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, told, type Project, type Recording } from '../../api/client'
import { Choice } from '../../ui/Choice'

const INSTEAD_KEY = 'gullywind-own-sound'

/** Every video beside the sound that goes onto it: the reference's, until another is chosen. */
export function PictureTable({ project }: { project: Project }) {
  const client = useQueryClient()
  const [chosen, choose] = useState<Record<string, string>>({})
  const [instead, setInstead] = useState(() => localStorage.getItem(INSTEAD_KEY) === 'instead')
  const placed = project.recordings.filter((one) => one.map || one.id === project.reference_id)
  const videos = placed.filter((one) => one.media.picture_start_s !== null)
  const write = useMutation({
    mutationFn: ({ video, sound }: { video: string; sound: string }) =>
      told(
        api.POST('/api/projects/{project_id}/pictures', {
          params: { path: { project_id: project.id } },
          body: { recording_id: video, sound_from_id: sound, instead },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ['deliveries', project.id] }),
  })
  if (!videos.length || placed.length < 2) return null
  const soundsFor = (video: Recording): Recording[] =>
    placed
      .filter((one) => one.id !== video.id)
      .sort((a, b) => Number(b.id === project.reference_id) - Number(a.id === project.reference_id))
  const soundOf = (video: Recording): string => chosen[video.id] ?? soundsFor(video)[0]!.id
  const writeAll = (): void => {
    for (const video of videos) write.mutate({ video: video.id, sound: soundOf(video) })
  }
  return (
    <Box mb="9" data-testid="pictures">
      <Text fontFamily="sentence" fontSize="xl" mb="1">
        Pictures with their new sound.
      </Text>
      <Text color="fg.muted" mb="4">
        The picture is copied untouched; the sound is brought to the camera’s own clock and becomes the first track.
      </Text>
      <Choice
        label="The camera’s own sound"
        options={[
          { value: 'beside', label: 'Own sound stays as the second track' },
          { value: 'instead', label: 'Own sound is left out' },
        ]}
        value={instead ? 'instead' : 'beside'}
        choose={(value) => {
          localStorage.setItem(INSTEAD_KEY, value)
          setInstead(value === 'instead')
        }}
        button={{ size: 'sm' }}
        rest="outline"
        gap="2"
        mb="5"
      />
      <Button size="sm" colorPalette="slate" loading={write.isPending} onClick={writeAll}>
        {videos.length === 1 ? 'Write the video' : `Write all ${videos.length} videos`}
      </Button>
      <Box mt="5">
        {videos.map((video) => (
          <Flex key={video.id} align="center" py="1.5" borderTopWidth="1px" gap="3" data-testid="picture-row">
            <Text flex="1" fontSize="sm" truncate title={video.name}>
              {video.name}
            </Text>
            <Text fontSize="sm" color="fg.muted">
              sound of
            </Text>
            <NativeSelect.Root size="xs" w="190px">
              <NativeSelect.Field
                aria-label={`Sound for ${video.name}`}
                value={soundOf(video)}
                onChange={(event) => choose({ ...chosen, [video.id]: event.target.value })}
              >
                {soundsFor(video).map((one) => (
                  <option key={one.id} value={one.id}>
                    {one.name}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
            <Button size="2xs" variant="outline" onClick={() => write.mutate({ video: video.id, sound: soundOf(video) })}>
              Write this one
            </Button>
          </Flex>
        ))}
      </Box>
    </Box>
  )
}
