import { Box, Button, Flex, IconButton, Text } from '@chakra-ui/react'
import { memo } from 'react'
import { Scissors, X } from 'lucide-react'
import { clock } from '../../time/times'
import { player } from '../../listening/player'
import { useBench } from './benchStore'

const GAPS = [
  { gaps: 'silent', label: 'silent' },
  { gaps: 'room-tone', label: 'room tone' },
] as const

/** The pieces and what lies between them; all that the mouse does in the mirror can be done here. */
export const PieceList = memo(function PieceList() {
  const map = useBench((s) => s.recording.map)
  const stored = useBench((s) => s.stored)
  const piece = useBench((s) => s.piece)
  const choosePiece = useBench((s) => s.choosePiece)
  const edit = useBench((s) => s.edit)
  if (!map || map.bent || !stored) return null
  return (
    <Box>
      <Flex justify="space-between" align="center" mb="1">
        <Text fontSize="sm" fontWeight="600">
          {stored.length === 1 ? 'In one piece' : `In ${stored.length} pieces`}
        </Text>
        <Button
          size="2xs"
          variant="outline"
          title="Cut at the playhead; nothing moves (C)"
          onClick={() => edit({ kind: 'split', t_ref: player.positionS() })}
        >
          <Scissors size={11} /> Cut here
        </Button>
      </Flex>
      {stored.length > 1 && (
        <>
          {stored.map((knots, index) => {
            const joint = map.joints[index]
            return (
              <Box key={index} data-testid="piece">
                <Flex
                  align="center"
                  borderWidth="1px"
                  borderColor={piece === index ? 'ink.solid' : 'border'}
                  bg={piece === index ? 'bg.panel' : undefined}
                  h="26px"
                  pl="2"
                >
                  <Text
                    as="button"
                    flex="1"
                    textAlign="left"
                    fontFamily="mono"
                    fontSize="xs"
                    cursor="pointer"
                    aria-pressed={piece === index}
                    title="Choose this piece: arrow keys and dragging then slide it alone"
                    onClick={() => {
                      choosePiece(piece === index ? null : index)
                      if (piece !== index) player.seek(Math.max(0, knots[0]![0]!))
                    }}
                  >
                    {clock(knots[0]![0]!, 1)} – {clock(knots.at(-1)![0]!, 1)}
                  </Text>
                  <IconButton
                    aria-label={`Remove piece ${index + 1}`}
                    title="Remove this piece (Delete)"
                    size="2xs"
                    variant="ghost"
                    onClick={() => edit({ kind: 'remove', index })}
                  >
                    <X />
                  </IconButton>
                </Flex>
                {joint && (
                  <Flex align="center" fontSize="xs" color="fg.muted" pl="2" minH="24px" gap="1">
                    <Text flex="1" lineHeight="1.2">
                      {joint.words[0]!.toLowerCase() + joint.words.slice(1)}
                    </Text>
                    <Button
                      size="2xs"
                      px="1"
                      variant="ghost"
                      title="Make one piece of both: what follows moves to where it was recorded"
                      onClick={() => edit({ kind: 'join', index })}
                    >
                      Join
                    </Button>
                    {joint.has_gap && (
                      <Button
                        size="2xs"
                        px="1"
                        variant="ghost"
                        title="Close the gap: all that follows moves up, out of step with the reference"
                        onClick={() => edit({ kind: 'close-gap', index })}
                      >
                        Close
                      </Button>
                    )}
                  </Flex>
                )}
              </Box>
            )
          })}
          <Flex gap="1" align="center" pt="1" fontSize="sm" color="fg.muted">
            <Text flex="1">in gaps</Text>
            {GAPS.map(({ gaps, label }) => (
              <Button
                key={gaps}
                size="2xs"
                variant={map.gaps === gaps ? 'solid' : 'outline'}
                aria-pressed={map.gaps === gaps}
                onClick={() => map.gaps !== gaps && edit({ kind: 'gaps', gaps })}
              >
                {label}
              </Button>
            ))}
          </Flex>
        </>
      )}
    </Box>
  )
})
