import { create } from 'zustand'
import { useShallow } from 'zustand/react/shallow'

export interface Upload {
  id: number
  projectId: string
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
const running = new Map<number, XMLHttpRequest>()

/** Those of one project; the same list until something changes. */
export function useUploadsOf(projectId: string): readonly Upload[] {
  return useUploads(useShallow((s) => s.list.filter((one) => one.projectId === projectId)))
}

/** Give up an upload, under way or waiting; the server forgets what came of it. */
export function stopUpload(id: number): void {
  useUploads.getState().dismiss(id)
  running.get(id)?.abort()
}

// Whoever leaves the page while files are on their way is asked first.
window.addEventListener('beforeunload', (event) => {
  if (running.size > 0) event.preventDefault()
})

/** Send files one after the other: they share one disk, and the first can be listened to meanwhile. */
export async function uploadAll(projectId: string, files: readonly File[]): Promise<void> {
  const queued = files.map((file) => ({ file, id: ++lastId }))
  useUploads.setState((s) => ({
    list: [...s.list, ...queued.map(({ file, id }) => ({ id, projectId, name: file.name, fraction: 0, error: null }))],
  }))
  for (const { file, id } of queued) {
    if (!useUploads.getState().list.some((one) => one.id === id)) continue
    try {
      await send(projectId, file, id)
      useUploads.getState().dismiss(id)
    } catch (error) {
      useUploads.getState().change(id, { error: error instanceof Error ? error.message : String(error) })
    } finally {
      running.delete(id)
    }
  }
}

/** XMLHttpRequest, because fetch tells nothing of an upload's progress. */
function send(projectId: string, file: File, id: number): Promise<void> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    running.set(id, request)
    request.open('POST', `/api/projects/${projectId}/recordings?file_name=${encodeURIComponent(file.name)}`)
    request.setRequestHeader('Content-Type', 'application/octet-stream')
    request.upload.onprogress = (event) =>
      useUploads.getState().change(id, { fraction: event.lengthComputable ? event.loaded / event.total : 0 })
    request.onabort = () => resolve()
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
