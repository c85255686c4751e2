import { Box, Button, Flex, IconButton, NativeSelect, Text } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Plus, X } from 'lucide-react'
import { useState } from 'react'
import { api, told, type Project, type Recording } from '../../api/client'
import { Choice } from '../../ui/Choice'

const INSTEAD_KEY = 'gullywind-own-sound'
/** More tracks than this nobody finds again. */
const MOST_TRACKS = 8

/** Every video beside the sound that goes onto it: the reference's, until another is chosen. */
export function PictureTable({ project }: { project: Project }) {
  const client = useQueryClient()
  const [chosen, choose] = useState<Record<string, readonly string[]>>({})
  const [instead, setInstead] = useState(() => localStorage.getItem(INSTEAD_KEY) === 'instead')
  const placed = project.recordings.filter((one) => one.map || one.id === project.reference_id)
  const videos = placed.filter((one) => one.media.picture_start_s !== null)
  const write = useMutation({
    mutationFn: ({ video, sounds }: { video: string; sounds: readonly string[] }) =>
      told(
        api.POST('/api/projects/{project_id}/pictures', {
          params: { path: { project_id: project.id } },
          body: { recording_id: video, sounds_from: [...sounds], instead },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ['deliveries', project.id] }),
  })
  if (!videos.length || placed.length < 2) return null
  const soundsFor = (video: Recording): Recording[] =>
    placed
      .filter((one) => one.id !== video.id)
      .sort((a, b) => Number(b.id === project.reference_id) - Number(a.id === project.reference_id))
  const soundsOf = (video: Recording): readonly string[] => chosen[video.id] ?? [soundsFor(video)[0]!.id]
  const change = (video: Recording, sounds: readonly string[]): void => choose({ ...chosen, [video.id]: sounds })
  const writeAll = (): void => {
    for (const video of videos) write.mutate({ video: video.id, sounds: soundsOf(video) })
  }
  return (
    <Box mb="9" data-testid="pictures">
      <Text fontFamily="sentence" fontSize="xl" mb="1">
        Pictures with their new sound.
      </Text>
      <Text color="fg.muted" mb="4">
        The picture is copied untouched; the sound is brought to the camera’s own clock and becomes the first track, others follow.
      </Text>
      <Choice
        label="The camera’s own sound"
        options={[
          { value: 'beside', label: 'Own sound stays, as the last track' },
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
            <Flex direction="column" gap="1">
              {soundsOf(video).map((sound, track) => (
                <Flex key={track} align="center" gap="2">
                  <Text fontSize="sm" color="fg.muted" w="64px" textAlign="right">
                    {track === 0 ? 'sound of' : 'and of'}
                  </Text>
                  <NativeSelect.Root size="xs" w="180px">
                    <NativeSelect.Field
                      aria-label={track === 0 ? `Sound for ${video.name}` : `Track ${track + 1} for ${video.name}`}
                      value={sound}
                      onChange={(event) => change(video, soundsOf(video).with(track, event.target.value))}
                    >
                      {soundsFor(video).map((one) => (
                        <option key={one.id} value={one.id} disabled={one.id !== sound && soundsOf(video).includes(one.id)}>
                          {one.name}
                        </option>
                      ))}
                    </NativeSelect.Field>
                    <NativeSelect.Indicator />
                  </NativeSelect.Root>
                  {track > 0 ? (
                    <IconButton
                      size="2xs"
                      variant="ghost"
                      aria-label={`Without track ${track + 1} for ${video.name}`}
                      title="Without this track"
                      onClick={() => change(video, soundsOf(video).toSpliced(track, 1))}
                    >
                      <X />
                    </IconButton>
                  ) : (
                    <IconButton
                      size="2xs"
                      variant="ghost"
                      aria-label={`Another track for ${video.name}`}
                      title="Another track"
                      disabled={soundsOf(video).length >= Math.min(soundsFor(video).length, MOST_TRACKS)}
                      onClick={() => {
                        const next = soundsFor(video).find((one) => !soundsOf(video).includes(one.id))
                        if (next) change(video, [...soundsOf(video), next.id])
                      }}
                    >
                      <Plus />
                    </IconButton>
                  )}
                </Flex>
              ))}
            </Flex>
            <Button size="2xs" variant="outline" onClick={() => write.mutate({ video: video.id, sounds: soundsOf(video) })}>
              Write this one
            </Button>
          </Flex>
        ))}
      </Box>
    </Box>
  )
}
