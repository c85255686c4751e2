import { Input } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { api, told, type Recording } from '../../api/client'
import { putRecording } from '../../api/queries'

/** Renames in place: Enter or leaving keeps, Escape drops. */
export function RenameField({ recording, done }: { recording: Recording; done: () => void }) {
  const client = useQueryClient()
  const rename = useMutation({
    mutationFn: (name: string) =>
      told(
        api.PATCH('/api/recordings/{recording_id}', {
          params: { path: { recording_id: recording.id } },
          body: { version: recording.version, name },
        }),
      ),
    onSuccess: (changed) => putRecording(client, changed),
    onSettled: done,
  })
  const keep = (name: string): void => {
    if (name.trim() && name !== recording.name) rename.mutate(name)
    else done()
  }
  return (
    <Input
      size="2xs"
      autoFocus
      aria-label="Name"
      defaultValue={recording.name}
      onBlur={(e) => keep(e.target.value)}
      onKeyDown={(e) => {
        if (e.key === 'Enter') keep(e.currentTarget.value)
        if (e.key === 'Escape') done()
      }}
    />
  )
}
