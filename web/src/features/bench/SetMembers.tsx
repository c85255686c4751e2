import { Button, Flex, Text } from '@chakra-ui/react'
import { memo } from 'react'
import { useQuery } from '@tanstack/react-query'
import { insideOptions } from '../../api/queries'
import { useUntie } from '../../api/useUntie'
import { Section } from './Section'
import { useBench } from './benchStore'

/** The set that the recording moves with: how its microphones hear against each other. */
export const SetMembers = memo(function SetMembers() {
  const { id, set_id, map, version } = useBench((s) => s.recording)
  const projectId = useBench((s) => s.project.id)
  const recordings = useBench((s) => s.project.recordings)
  const edit = useBench((s) => s.edit)
  const isTied = set_id !== null && recordings.some((one) => one.id !== id && one.set_id === set_id)
  const { data: members } = useQuery({ ...insideOptions(projectId, set_id ?? '', version), enabled: isTied })
  const untie = useUntie(projectId)
  if (!isTied) return null
  return (
    <Section title="Set, moves as one">
      {members?.map((one) => (
        <Flex key={one.recording_id} direction="column" py="0.5" data-testid="set-member">
          <Text fontSize="sm" fontWeight={one.recording_id === id ? '600' : 'normal'} truncate title={one.name}>
            {one.name}
          </Text>
          <Text fontSize="xs" color={one.inverted ? 'ochre.fg' : 'fg.muted'}>
            {one.words}
          </Text>
          {one.recording_id === id && one.late_s !== null && map && (
            <Flex gap="1" pt="1">
              <Button
                size="2xs"
                variant="outline"
                title="Off as recorded: microphones at two places hear at two times"
                onClick={() => edit({ kind: 'correct-in-set', corrected_s: one.corrected_s === 0 ? one.late_s! : 0 })}
              >
                {one.corrected_s === 0 ? 'Take the delay out' : 'As recorded again'}
              </Button>
              {one.inverted && (
                <Button size="2xs" variant="outline" onClick={() => edit({ kind: 'polarity', polarity: map.polarity === 1 ? -1 : 1 })}>
                  {map.polarity === 1 ? 'Put its polarity right' : 'Invert it back'}
                </Button>
              )}
            </Flex>
          )}
        </Flex>
      )) ?? (
        <Text fontSize="xs" color="fg.muted">
          comparing its microphones …
        </Text>
      )}
      <Button size="2xs" variant="ghost" mt="1" px="1" ml="-1" loading={untie.isPending} onClick={() => untie.mutate(set_id)}>
        Take the set apart
      </Button>
    </Section>
  )
})
