import { Box, Button, Flex, Grid, IconButton, Text } from '@chakra-ui/react'
import { Maximize2, Minimize2, PanelRight, X } from 'lucide-react'
import { memo, useCallback } from 'react'
import { toRecording } from '../../time/timeMap'
import { PictureView } from '../../seeing/PictureView'
import { useBench } from './benchStore'
import { hasOtherPicture, hasOwnPicture, usePictureSize, type PictureSize } from './pictureSize'

const TO: readonly { size: PictureSize; label: string; Icon: typeof X }[] = [
  { size: 'small', label: 'In the side panel', Icon: PanelRight },
  { size: 'large', label: 'Beside the mirror', Icon: Minimize2 },
  { size: 'whole', label: 'Over the whole window', Icon: Maximize2 },
  { size: 'away', label: 'Put it away', Icon: X },
]

/** The pictures of the recording and of the reference, where they have one, in step with what is heard. */
export const PicturePanel = memo(function PicturePanel() {
  const recording = useBench((s) => s.recording)
  const reference = useBench((s) => s.reference)
  const pieces = useBench((s) => s.pieces)
  const { size, show } = usePictureSize()
  const ofRecording = useCallback((tRefS: number) => toRecording(pieces, tRefS), [pieces])
  const durationS = reference.media.duration_s ?? 0
  const ofReference = useCallback((tRefS: number) => (tRefS >= 0 && tRefS <= durationS ? tRefS : null), [durationS])
  const own = useBench(hasOwnPicture)
  const other = useBench(hasOtherPicture)
  if (!own && !other) return null
  if (size === 'away')
    return (
      <Button size="2xs" variant="outline" alignSelf="flex-start" onClick={() => show('small')} title="Show the picture (Shift P)">
        Show the picture
      </Button>
    )
  const whole = size === 'whole'
  return (
    <Box
      {...(whole
        ? { position: 'fixed', inset: '0 0 60px 0', zIndex: 'overlay', bg: 'bg', p: '3', display: 'flex', flexDirection: 'column' }
        : // The panel scrolls below it.
          { position: 'sticky', top: '-12px', zIndex: 1, bg: 'bg', pb: '2', mt: '-12px', pt: '12px', flexShrink: 0 })}
      data-testid="pictures-beside"
    >
      <Flex align="center" mb="1" flexShrink={0}>
        <Text fontSize="sm" fontWeight="600" flex="1">
          {whole ? recording.name : 'Picture'}
        </Text>
        {whole && (
          <Text fontSize="sm" color="fg.muted" mr="4">
            1 hears the reference alone with it, comma and full stop step by a frame
          </Text>
        )}
        {TO.filter((one) => one.size !== size).map(({ size: to, label, Icon }) => (
          <IconButton key={to} size="2xs" variant="ghost" aria-label={label} title={`${label} (Shift P)`} onClick={() => show(to)}>
            <Icon />
          </IconButton>
        ))}
      </Flex>
      <Grid
        gap="2"
        flex="1"
        minH="0"
        alignItems="center"
        templateColumns={own && other && size !== 'small' ? '1fr 1fr' : '1fr'}
        justifyItems="center"
      >
        {other && <PictureView key={reference.id} recording={reference} timeAt={ofReference} />}
        {own && <PictureView key={recording.id} recording={recording} timeAt={ofRecording} />}
      </Grid>
    </Box>
  )
})
