import { Textarea } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { memo } from 'react'
import { api, told } from '../../api/client'
import { putRecording } from '../../api/queries'
import { useTyped } from '../../ui/useTyped'
import { useBench, useBenchStore } from './benchStore'
import { Section } from './Section'

/** What a person wants to remember of the recording; kept when the field is left, Escape takes back. */
export const RemarkField = memo(function RemarkField() {
  const client = useQueryClient()
  const store = useBenchStore()
  const kept = useBench((s) => s.recording.remark)
  const [text, setText] = useTyped(kept)
  const keep = useMutation({
    mutationFn: (remark: string) => {
      const { id, version } = store.getState().recording
      return told(api.PATCH('/api/recordings/{recording_id}', { params: { path: { recording_id: id } }, body: { version, remark } }))
    },
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
        onBlur={() => text.trim() !== kept && keep.mutate(text)}
        onKeyDown={(e) => {
          if (e.key !== 'Escape') return
          setText(kept)
          e.currentTarget.blur()
        }}
      />
    </Section>
  )
})
