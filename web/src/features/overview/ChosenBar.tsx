import { Box, Button, Flex, Input, Menu, Portal, Text } from '@chakra-ui/react'
import { useMutation } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { useLocation } from 'wouter'
import { api, told, type Act, type Project } from '../../api/client'
import { useAct } from './useAct'
import { useMatching } from '../../api/useMatching'
import { usePlacing } from '../../api/usePlacing'
import { numberFrom, recordingCount } from '../../time/times'
import { onKeys } from '../../ui/keys'
import { sayProblem } from '../../ui/problems'
import { clearChosen, useChosen } from './chosen'

/** What can be done with all that are chosen; each act is one step of the history. */
export function ChosenBar({ project }: { project: Project }) {
  const chosen = useChosen((s) => s.ids)
  const rows = project.recordings.filter((one) => chosen.has(one.id))
  const ids = rows.map((one) => one.id)
  const act = useAct(project.id)
  const place = usePlacing(project.id)
  const match = useMatching(project.id)
  const [, go] = useLocation()
  const deliver = useMutation({
    mutationFn: () =>
      told(
        api.POST('/api/projects/{project_id}/deliveries', {
          params: { path: { project_id: project.id } },
          body: { recording_ids: ids, form: 'pcm24' },
        }),
      ),
    onSuccess: () => go(`/projects/${project.id}/deliver`),
  })
  const allLocked = rows.every((one) => one.locked)
  const allScratch = rows.every((one) => one.map && !one.map.kept)
  const hasPlace = rows.some((one) => one.map)
  const remove = (): void => {
    act(ids, { kind: 'remove-recordings' })
    clearChosen()
  }
  const lock = (): void => act(ids, { kind: 'lock', locked: !allLocked })
  const keys = useRef({ remove, lock })
  keys.current = { remove, lock }
  useEffect(() => onKeys({ Delete: () => keys.current.remove(), x: () => keys.current.lock() }), [])
  const button = { size: '2xs', variant: 'outline' } as const
  return (
    <Flex
      align="center"
      gap="2"
      px="4"
      py="1.5"
      flexShrink={0}
      flexWrap="wrap"
      bg="bg.subtle"
      borderTopWidth="1px"
      data-testid="chosen-bar"
    >
      <Text fontSize="sm" fontWeight="600" role="status">
        {recordingCount(rows.length)} chosen
      </Text>
      <Button {...button} loading={place.isPending} disabled={!project.reference_id} onClick={() => place.mutate(ids)}>
        Find {rows.length === 1 ? 'its place' : 'their places'}
      </Button>
      <Button
        {...button}
        loading={match.isPending}
        disabled={!project.reference_id}
        title="Other performances of the reference's part: word by word, note by note onto it"
        onClick={() => match.mutate({ recordingIds: ids.filter((id) => id !== project.reference_id) })}
      >
        Follow as performances
      </Button>
      <Gain disabled={!hasPlace} set={(gain_db) => act(ids, { kind: 'gain', gain_db })} />
      <ChannelsMenu disabled={!hasPlace} choose={(wish) => act(ids, wish)} />
      <Button {...button} onClick={() => act(ids, { kind: 'kept', kept: allScratch })} disabled={!hasPlace}>
        {allScratch ? 'Deliver again' : 'Keep as scratch'}
      </Button>
      <Button {...button} onClick={lock} title={`${allLocked ? 'Unlock' : 'Lock'} them (X)`}>
        {allLocked ? 'Unlock' : 'Lock'}
      </Button>
      <Button {...button} onClick={() => act(ids, { kind: 'set-aside' })} title="Say that they do not belong; it stays said">
        Set aside
      </Button>
      <Button {...button} disabled={!hasPlace} loading={deliver.isPending} onClick={() => deliver.mutate()}>
        Write files
      </Button>
      <Button {...button} onClick={remove} title="Out of the project (Delete); undo brings them back">
        Remove
      </Button>
      <Box flex="1" />
      <Button size="2xs" variant="ghost" onClick={clearChosen} title="Let go of them (Esc)">
        Let go
      </Button>
    </Flex>
  )
}

function Gain({ disabled, set }: { disabled: boolean; set: (gainDb: number) => void }) {
  return (
    <Flex align="center" gap="1" fontSize="xs">
      gain
      <Input
        size="2xs"
        w="56px"
        bg="bg.panel"
        textAlign="right"
        fontFamily="mono"
        disabled={disabled}
        aria-label="Gain of all that are chosen, dB"
        placeholder="0.0"
        onKeyDown={(event) => {
          if (event.key !== 'Enter') return
          const value = numberFrom(event.currentTarget.value, 'dB')
          if (value === null) return sayProblem(`“${event.currentTarget.value}” is no number of dB, such as −3.5.`, event.currentTarget)
          set(value)
          event.currentTarget.blur()
        }}
      />
      dB
    </Flex>
  )
}

const CHANNELS: readonly { label: string; channels: number[] | null }[] = [
  { label: 'All channels', channels: null },
  { label: 'The first channel, left', channels: [0] },
  { label: 'The second channel, right', channels: [1] },
]

function ChannelsMenu({ disabled, choose }: { disabled: boolean; choose: (act: Act) => void }) {
  return (
    <Menu.Root>
      <Menu.Trigger asChild>
        <Button size="2xs" variant="outline" disabled={disabled}>
          Channels
        </Button>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content bg="bg.panel">
            {CHANNELS.map(({ label, channels }) => (
              <Menu.Item key={label} value={label} onClick={() => choose({ kind: 'channels', channels })}>
                {label}
              </Menu.Item>
            ))}
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  )
}
