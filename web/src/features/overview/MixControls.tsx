import { Box, Button, Flex, IconButton, Text } from '@chakra-ui/react'
import { Volume2, VolumeX } from 'lucide-react'
import type { Recording } from '../../api/client'
import { isHeard, LEAST_DB, MOST_DB, PLAIN, setVoice, useMixer } from '../../listening/mixer'
import { signed } from '../../time/times'

/** How a recording is heard among the others, in the place of its figures. */
export function MixControls({ recording, someAreSolo }: { recording: Recording; someAreSolo: boolean }) {
  const voice = useMixer((s) => s.voices[recording.id]) ?? PLAIN
  const set = (change: Partial<typeof voice>): void => setVoice(recording.id, change)
  return (
    <Flex align="center" gap="2" fontSize="xs" w="318px" flexShrink={0} justify="flex-end" data-testid="mix-controls">
      <IconButton
        size="2xs"
        variant={voice.muted ? 'solid' : 'ghost'}
        aria-pressed={voice.muted}
        aria-label={`Mute ${recording.name}`}
        title={voice.muted ? 'Muted: let it be heard' : 'Mute it'}
        onClick={() => set({ muted: !voice.muted })}
      >
        {isHeard(voice, someAreSolo) ? <Volume2 /> : <VolumeX />}
      </IconButton>
      <Button
        size="2xs"
        px="1.5"
        minW="0"
        variant={voice.solo ? 'solid' : 'ghost'}
        aria-pressed={voice.solo}
        aria-label={`Solo ${recording.name}`}
        title={voice.solo ? 'Only what is solo is heard: let the others be heard' : 'Hear it without those that are not solo'}
        onClick={() => set({ solo: !voice.solo })}
      >
        solo
      </Button>
      <input
        type="range"
        min={LEAST_DB}
        max={MOST_DB}
        step={0.5}
        value={voice.levelDb}
        aria-label={`Level of ${recording.name}, dB`}
        title="Level, dB; a double click takes it back"
        className="fine-range"
        style={{ width: 92 }}
        onChange={(event) => set({ levelDb: Number(event.target.value) })}
        onDoubleClick={() => set({ levelDb: 0 })}
      />
      <Text fontFamily="mono" w="46px" textAlign="right" flexShrink={0}>
        {signed(voice.levelDb, 1)}
      </Text>
      <Box as="label" display="flex" alignItems="center" gap="1" color="fg.muted">
        L
        <input
          type="range"
          min={-1}
          max={1}
          step={0.05}
          value={voice.position}
          aria-label={`Position of ${recording.name}, left to right`}
          title="Between left and right; a double click takes it back"
          className="fine-range"
          style={{ width: 52 }}
          onChange={(event) => set({ position: Number(event.target.value) })}
          onDoubleClick={() => set({ position: 0 })}
        />
        R
      </Box>
    </Flex>
  )
}
