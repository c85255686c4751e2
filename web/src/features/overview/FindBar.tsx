import { Box, Button, Flex, IconButton, Input } from '@chakra-ui/react'
import { Minus, Plus } from 'lucide-react'
import { useEffect, useRef } from 'react'
import type { Recording } from '../../api/client'
import { Choice } from '../../ui/Choice'
import { onKeys } from '../../ui/keys'
import { counted, EVERYTHING, type Finding, type Show } from './finding'

interface Props {
  recordings: readonly Recording[]
  finding: Finding
  find: (finding: Finding) => void
  /** Below 1: closer. */
  zoom: (factor: number) => void
  /** Null: the whole is shown already. */
  showAll: (() => void) | null
}

const LABELS = { all: 'all', 'needs you': 'need you', placed: 'placed', waiting: 'not placed yet' } as const satisfies Record<Show, string>
const SHOWS = Object.keys(LABELS) as Show[]

/** Which recordings are shown, and how closely their time. */
export function FindBar({ recordings, finding, find, zoom, showAll }: Props) {
  const field = useRef<HTMLInputElement>(null)
  useEffect(() => onKeys({ '/': () => field.current?.focus() }), [])
  const counts = counted(recordings)
  return (
    <Flex align="center" gap="3" px="4" py="1.5" flexShrink={0} flexWrap="wrap">
      <Input
        ref={field}
        size="xs"
        w="190px"
        bg="bg.panel"
        placeholder="Find by name"
        aria-label="Find by name (/)"
        title="Find by name (/)"
        value={finding.text}
        onChange={(e) => find({ ...finding, text: e.target.value })}
        onKeyDown={(e) => {
          if (e.key !== 'Escape') return
          find({ ...finding, text: '' })
          e.currentTarget.blur()
        }}
      />
      <Choice
        label="Recordings shown"
        options={SHOWS.filter((one) => one === 'all' || one === finding.show || counts[one] > 0).map((one) => ({
          value: one,
          label: `${LABELS[one]} ${counts[one]}`,
        }))}
        value={finding.show}
        choose={(show) => find({ ...finding, show })}
        button={{ size: '2xs', px: '2', fontWeight: 'normal' }}
        display="flex"
        gap="1"
      />
      {(finding.text || finding.show !== 'all') && (
        <Button size="2xs" variant="ghost" onClick={() => find(EVERYTHING)}>
          Show all
        </Button>
      )}
      <Box flex="1" />
      <Flex align="center" gap="1">
        <Button
          size="2xs"
          variant="ghost"
          disabled={!showAll}
          title={showAll ? 'The whole event (0)' : 'The whole event is shown'}
          onClick={() => showAll?.()}
        >
          whole event
        </Button>
        <IconButton aria-label="Farther (−)" title="Farther (−)" size="2xs" variant="outline" disabled={!showAll} onClick={() => zoom(2)}>
          <Minus />
        </IconButton>
        <IconButton aria-label="Closer (+)" title="Closer (+)" size="2xs" variant="outline" onClick={() => zoom(0.5)}>
          <Plus />
        </IconButton>
      </Flex>
    </Flex>
  )
}
