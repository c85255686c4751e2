import { Box, Text } from '@chakra-ui/react'
import { useCallback, useEffect, useRef, useState } from 'react'
import type { Recording } from '../api/client'
import { usePlayer } from '../listening/player'
import { usePlayhead } from '../listening/usePlayhead'
import { fetchFrameTimes, framesOf } from './framesOf'
import { FramePicture } from './FramePicture'
import { NativePicture, type TimeAt } from './NativePicture'

interface Props {
  recording: Recording
  /** Where its picture is at a moment of the reference. */
  timeAt: TimeAt
}

/** The picture of a recording in step with what is heard: played by the browser, or drawn from frames of the server. */
export function PictureView({ recording, timeAt }: Props) {
  const video = useRef<HTMLVideoElement>(null)
  const canvas = useRef<HTMLCanvasElement>(null)
  const [native, setNative] = useState(true)
  const [isThere, setThere] = useState(true)
  const [problem, setProblem] = useState<string | null>(null)
  const picture = useRef<NativePicture | FramePicture | null>(null)
  const frames = framesOf(recording)
  useEffect(() => {
    void fetchFrameTimes(recording)
    // It is the same picture for as long as it is the same recording.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [recording.id])
  useEffect(() => {
    const made =
      native && video.current
        ? new NativePicture(video.current, frames, () => setNative(false), setThere)
        : canvas.current
          ? new FramePicture(canvas.current, recording.id, frames, setProblem, setThere)
          : null
    picture.current = made
    return () => made?.end()
  }, [native, recording.id, frames])
  const follow = useCallback(
    (positionS: number) => picture.current?.follow(positionS, usePlayer.getState().playing, timeAt),
    // A picture that is made anew follows from its beginning.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [timeAt, native],
  )
  usePlayhead(follow)
  const fill = {
    display: 'block',
    width: '100%',
    height: '100%',
    objectFit: 'contain',
    visibility: isThere ? 'visible' : 'hidden',
  } as const
  return (
    <Box position="relative" bg="#15130f" rounded="sm" overflow="hidden" aspectRatio="16/9" w="100%" maxH="100%" data-testid="picture">
      {native ? (
        <video
          ref={video}
          src={`/api/recordings/${recording.id}/file`}
          preload="auto"
          playsInline
          muted
          style={fill}
          aria-label={recording.name}
        />
      ) : (
        <canvas ref={canvas} style={fill} aria-label={recording.name} role="img" />
      )}
      {(problem || !isThere) && (
        <Text position="absolute" inset="0" display="grid" placeItems="center" color="#d9d2c3" fontSize="xs" p="3" textAlign="center">
          {problem ?? 'no picture at this moment'}
        </Text>
      )}
      <Text
        position="absolute"
        left="0"
        bottom="0"
        px="1.5"
        fontSize="2xs"
        color="#f2ede2"
        bg="#15130fb3"
        roundedTopRight="sm"
        maxW="100%"
        truncate
        pointerEvents="none"
      >
        {recording.name}
      </Text>
    </Box>
  )
}
