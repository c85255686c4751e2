import { Box, Button, Flex, IconButton, Text } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Volume2 } from 'lucide-react'
import type { ReactNode } from 'react'
import { api, told, type Recording } from '../../api/client'
import { projectOptions } from '../../api/queries'
import { useEditRecording } from '../../api/useEditRecording'
import { useMatching } from '../../api/useMatching'
import { clock } from '../../time/times'
import { hearRival, useRival } from './rivals'

/** Places that are offered in the row itself; the bench shows all. */
const MOST_RIVALS = 5

/** What is to be said of a recording without a sure place, and what a person can do about it right here. */
export function Words({ recording, hasReference, choose }: { recording: Recording; hasReference: boolean; choose: (id: string) => void }) {
  const client = useQueryClient()
  const again = useMutation({
    mutationFn: () => told(api.POST('/api/recordings/{recording_id}/listening', { params: { path: { recording_id: recording.id } } })),
  })
  const edit = useEditRecording()
  const match = useMatching(recording.project_id)
  const tried = useRival((s) => (s.heard?.recordingId === recording.id ? s.heard.index : null))
  const rivals = recording.status === 'unsure' ? (recording.judgement?.candidates.slice(0, MOST_RIVALS) ?? []) : []
  const judged = recording.status === 'unsure' || recording.status === 'unplaced'
  const hear = (index: number): void => {
    const project = client.getQueryData(projectOptions(recording.project_id).queryKey)
    if (project) void hearRival(project, recording, index)
  }
  let words: ReactNode = recording.media.line
  if (recording.status === 'unplaced' || recording.status === 'failed' || recording.status === 'unsure') words = recording.sentence
  return (
    <Flex flex="1" minW="0" align="center" gap="2" pr="6">
      <Box flex="1" minW="0">
        <Text
          fontSize="xs"
          color={recording.status === 'failed' || recording.status === 'unsure' ? 'ochre.fg' : 'fg.muted'}
          lineClamp={2}
          title={typeof words === 'string' ? words : undefined}
        >
          {words}
        </Text>
        {rivals.length > 1 && (
          <Flex gap="1" pt="0.5" pb="1" flexWrap="wrap">
            {rivals.map((one, index) => (
              <Button
                key={index}
                size="2xs"
                variant={one.current ? 'solid' : 'outline'}
                px="1"
                minW="0"
                fontSize="xs"
                fontFamily="mono"
                data-testid="rival"
                data-tried={tried === index || undefined}
                outline={tried === index ? '2px solid' : undefined}
                outlineColor="rust.solid"
                title={`Take this place: the phases agree there by ${one.score.toFixed(2)} of 1`}
                onClick={() => edit(recording, { kind: 'take', index })}
              >
                {clock(one.offset_s, 1)}
              </Button>
            ))}
            <IconButton
              size="2xs"
              variant="ghost"
              aria-label={`Hear the next place of ${recording.name} (N)`}
              title="Hear the next place where it tells most (N); T takes what is heard, D sets it aside"
              onClick={() => hear(tried === null ? 0 : (tried + 1) % rivals.length)}
            >
              <Volume2 />
            </IconButton>
          </Flex>
        )}
      </Box>
      {recording.performs && !recording.set_aside && (
        <Button
          size="2xs"
          variant="outline"
          flexShrink={0}
          loading={match.isPending}
          title="Tie its words and notes to the reference’s and bend it onto them"
          onClick={() => match.mutate({ recordingIds: [recording.id] })}
        >
          Have it follow
        </Button>
      )}
      {judged && (
        <Button
          size="2xs"
          variant="outline"
          flexShrink={0}
          title={recording.set_aside ? 'Take it back: it may belong here' : 'Say that it does not belong here; it stays said'}
          onClick={() => edit(recording, { kind: 'set-aside', aside: !recording.set_aside })}
        >
          {recording.set_aside ? 'It may belong' : 'Set aside'}
        </Button>
      )}
      {(recording.media.state === 'failed' || recording.media.state === 'stopped') && (
        <Button size="2xs" variant="outline" flexShrink={0} loading={again.isPending} onClick={() => again.mutate()}>
          Listen again
        </Button>
      )}
      {!hasReference && recording.media.state === 'ready' && (
        <Button size="2xs" variant="outline" colorPalette="slate" flexShrink={0} onClick={() => choose(recording.id)}>
          Make it the reference
        </Button>
      )}
    </Flex>
  )
}
