import { Textarea } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { api, told } from '../../api/client'
import { putRecording } from '../../api/queries'
import { useBench } from './benchStore'
import { Section } from './Section'

/** What a person wants to remember of the recording; kept when the field is left, Escape takes back. */
export function RemarkField() {
  const client = useQueryClient()
  const recording = useBench((s) => s.recording)
  const [text, setText] = useState(recording.remark)
  useEffect(() => setText(recording.remark), [recording.remark])
  const keep = useMutation({
    mutationFn: (remark: string) =>
      told(
        api.PATCH('/api/recordings/{recording_id}', {
          params: { path: { recording_id: recording.id } },
          body: { version: recording.version, remark },
        }),
      ),
    onSuccess: (changed) => putRecording(client, changed),
  })
  return (
    <Section title="Note">
      <Textarea
        size="xs"
        autoresize
        maxH="8lh"
        rows={1}
        bg="bg.panel"
        aria-label="Note"
        placeholder="What to remember of it"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => text.trim() !== recording.remark && keep.mutate(text)}
        onKeyDown={(e) => {
          if (e.key !== 'Escape') return
          setText(recording.remark)
          e.currentTarget.blur()
        }}
      />
    </Section>
  )
}
