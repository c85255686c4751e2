import { Box, Button, Flex, IconButton, Text } from '@chakra-ui/react'
import { Pause, Play, Repeat } from 'lucide-react'
import { memo, type ReactNode, useCallback, useRef } from 'react'
import { Choice } from '../ui/Choice'
import { timecode } from '../time/times'
import { player, usePlayer } from './player'
import { TurnChoice } from './TurnChoice'
import { WAYS, type Way } from './ways'
import { usePlayhead } from './usePlayhead'

interface Props {
  frameRate: number
  /** The ways of hearing that make sense here. */
  ways: readonly Way[]
  labels?: Partial<Record<Way, string>>
  /** What is chosen while both are heard in turns. */
  turns?: ReactNode
  children?: ReactNode
}

/** Play, time, ways of hearing; what else is of use here stands at the right. */
export const ListeningBar = memo(function ListeningBar({ frameRate, ways, labels, turns, children }: Props) {
  const playing = usePlayer((s) => s.playing)
  const way = usePlayer((s) => s.way)
  const loop = usePlayer((s) => s.loop)
  const error = usePlayer((s) => s.error)
  const time = useRef<HTMLParagraphElement>(null)
  const show = useCallback(
    (positionS: number) => {
      const now = timecode(positionS, frameRate)
      // Written only where it says something else: text is laid out anew.
      if (time.current && time.current.textContent !== now) time.current.textContent = now
    },
    [frameRate],
  )
  usePlayhead(show)
  return (
    <Flex
      as="footer"
      align="center"
      gap={{ base: '2', md: '4' }}
      px="4"
      py="1"
      minH="60px"
      flexWrap={{ base: 'wrap', md: 'nowrap' }}
      borderTopWidth="1px"
      bg="bg.panel"
      flexShrink={0}
    >
      <IconButton aria-label={playing ? 'Stop (space)' : 'Play (space)'} variant="ghost" size="sm" onClick={() => player.toggle()}>
        {playing ? <Pause /> : <Play fill="currentColor" />}
      </IconButton>
      <Text ref={time} fontFamily="mono" fontSize="lg" minW="128px" data-testid="playhead" />
      <Choice
        label="Ways of hearing"
        options={WAYS.filter((one) => ways.includes(one.way)).map((one) => ({
          value: one.way,
          label: labels?.[one.way] ?? one.label,
          hint: one.key,
        }))}
        value={way}
        choose={(chosen) => player.setWay(chosen)}
        button={{ size: 'xs', h: '8', rounded: 'none', fontWeight: 'normal' }}
        borderWidth="1px"
        borderColor="border.emphasized"
        rounded="md"
        overflow="hidden"
        flexShrink={0}
      />
      {way === 'turns' && (turns ?? <TurnChoice selected={null} />)}
      {loop.length > 0 && (
        <Button size="xs" variant="outline" onClick={() => player.setLoop([])} title="Stop repeating (L)">
          <Repeat size={13} />{' '}
          {loop.length > 1 ? `${loop.length} moments in turn` : `repeats ${(loop[0]!.endS - loop[0]!.startS).toFixed(2)} s`}
        </Button>
      )}
      {error && (
        <Text fontSize="sm" color="ochre.fg" role="alert">
          {error}
        </Text>
      )}
      <Box flex="1" />
      {children}
    </Flex>
  )
})
