import { create } from 'zustand'
import { useShallow } from 'zustand/react/shallow'
import type { FolderFile } from './client'

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

/** So many files are on their way at once: one alone waits for the disk, the network and the server in turn. */
const AT_ONCE = 3

interface Arriving {
  name: string
  send: (id: number) => Promise<void>
}

/** Bring in files from this browser. */
export const uploadAll = (projectId: string, files: readonly File[]): Promise<void> =>
  bringIn(
    projectId,
    files.map((file) => ({ name: file.name, send: (id) => upload(projectId, file, id) })),
  )

/** Bring in files of the server's machine by their paths, without a copy. */
export const takeInAll = (projectId: string, files: readonly FolderFile[]): Promise<void> =>
  bringIn(
    projectId,
    files.map((file) => ({ name: file.name, send: (id) => takeIn(projectId, file.path, id) })),
  )

async function bringIn(projectId: string, arriving: readonly Arriving[]): Promise<void> {
  const queued = arriving.map((one) => ({ ...one, id: ++lastId }))
  useUploads.setState((s) => ({
    list: [...s.list, ...queued.map(({ name, id }) => ({ id, projectId, name, fraction: 0, error: null }))],
  }))
  const next = async (): Promise<void> => {
    for (let one = queued.shift(); one; one = queued.shift()) {
      const { id, send } = one
      if (!useUploads.getState().list.some((other) => other.id === id)) continue
      try {
        await send(id)
        useUploads.getState().dismiss(id)
      } catch (error) {
        useUploads.getState().change(id, { error: error instanceof Error ? error.message : String(error) })
      } finally {
        running.delete(id)
      }
    }
  }
  await Promise.all(Array.from({ length: AT_ONCE }, next))
}

const upload = (projectId: string, file: File, id: number): Promise<void> =>
  post(`/api/projects/${projectId}/recordings?file_name=${encodeURIComponent(file.name)}`, file, 'application/octet-stream', id)

const takeIn = (projectId: string, path: string, id: number): Promise<void> =>
  post(`/api/projects/${projectId}/recordings/in-place`, JSON.stringify({ path }), 'application/json', id)

/** XMLHttpRequest, because fetch tells nothing of an upload's progress. */
function post(address: string, body: File | string, type: string, id: number): Promise<void> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    running.set(id, request)
    request.open('POST', address)
    request.setRequestHeader('Content-Type', type)
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
    request.send(body)
  })
}
