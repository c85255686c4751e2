import { create } from 'zustand'

export interface Upload {
  id: number
  name: string
  fraction: number
  error: string | null
}

interface Uploads {
  list: Upload[]
  change: (id: number, change: Partial<Upload>) => void
  dismiss: (id: number) => void
}

/** Uploads under way or refused; finished ones leave the list, their recording is in the project then. */
export const useUploads = create<Uploads>((set) => ({
  list: [],
  change: (id, change) => set((s) => ({ list: s.list.map((one) => (one.id === id ? { ...one, ...change } : one)) })),
  dismiss: (id) => set((s) => ({ list: s.list.filter((one) => one.id !== id) })),
}))

let lastId = 0

/** Send files one after the other: they share one disk, and the first can be listened to meanwhile. */
export async function uploadAll(projectId: string, files: readonly File[]): Promise<void> {
  const queued = files.map((file) => ({ file, id: ++lastId }))
  useUploads.setState((s) => ({
    list: [...s.list, ...queued.map(({ file, id }) => ({ id, name: file.name, fraction: 0, error: null }))],
  }))
  for (const { file, id } of queued) {
    try {
      await send(projectId, file, (fraction) => useUploads.getState().change(id, { fraction }))
      useUploads.getState().dismiss(id)
    } catch (error) {
      useUploads.getState().change(id, { error: error instanceof Error ? error.message : String(error) })
    }
  }
}

/** XMLHttpRequest, because fetch tells nothing of an upload's progress. */
function send(projectId: string, file: File, progress: (fraction: number) => void): Promise<void> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    request.open('POST', `/api/projects/${projectId}/recordings?file_name=${encodeURIComponent(file.name)}`)
    request.setRequestHeader('Content-Type', 'application/octet-stream')
    request.upload.onprogress = (event) => progress(event.lengthComputable ? event.loaded / event.total : 0)
    request.onerror = () => reject(new Error('The upload broke off: the server does not answer.'))
    request.onload = () => {
      if (request.status < 300) return resolve()
      let detail = 'The server did not take this file.'
      try {
        detail = (JSON.parse(request.responseText) as { detail?: string }).detail ?? detail
      } catch {
        // Not a problem document: the general sentence stays.
      }
      reject(new Error(detail))
    }
    request.send(file)
  })
}
