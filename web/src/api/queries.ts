import { queryOptions, type QueryClient } from '@tanstack/react-query'
import { api, told, type Project, type Recording } from './client'

export const projectsOptions = () =>
  queryOptions({ queryKey: ['projects'], queryFn: () => told(api.GET('/api/projects')) })

export const frameRatesOptions = () =>
  queryOptions({ queryKey: ['frame-rates'], queryFn: () => told(api.GET('/api/frame-rates')) })

export const projectOptions = (projectId: string) =>
  queryOptions({
    queryKey: ['project', projectId],
    queryFn: () => told(api.GET('/api/projects/{project_id}', { params: { path: { project_id: projectId } } })),
  })

/** The curve changes only with a new judgement, hence the judged map's id in the key. */
export const curveOptions = (recordingId: string, judgedMap: string | null | undefined) =>
  queryOptions({
    queryKey: ['curve', recordingId, judgedMap ?? ''],
    queryFn: () =>
      told(api.GET('/api/recordings/{recording_id}/match-curve', { params: { path: { recording_id: recordingId } } })),
    staleTime: Infinity,
  })

export const loupesOptions = (recordingId: string, mapId: string) =>
  queryOptions({
    queryKey: ['loupes', recordingId, mapId],
    queryFn: () =>
      told(api.GET('/api/recordings/{recording_id}/loupes', { params: { path: { recording_id: recordingId } } })),
    staleTime: Infinity,
  })

/** Timing measured anew at one moment of the reference, through one version of the map. */
export const timingOptions = (recordingId: string, mapId: string, tRefS: number) =>
  queryOptions({
    queryKey: ['timing', recordingId, mapId, tRefS],
    queryFn: () =>
      told(
        api.GET('/api/recordings/{recording_id}/timing', {
          params: { path: { recording_id: recordingId }, query: { t_ref: tRefS, map_id: mapId } },
        }),
      ),
    staleTime: Infinity,
  })

/** A folder of the server's machine; without a path those that recordings may be taken in from. */
export const folderOptions = (path: string | null) =>
  queryOptions({
    queryKey: ['folder', path ?? ''],
    queryFn: () => told(api.GET('/api/folders', { params: { query: path === null ? {} : { path } } })),
  })

export const deliveriesOptions = (projectId: string) =>
  queryOptions({
    queryKey: ['deliveries', projectId],
    queryFn: () =>
      told(api.GET('/api/projects/{project_id}/deliveries', { params: { path: { project_id: projectId } } })),
  })

/** Put a changed recording into the cached project, so that the screen answers before the next push. */
export function putRecording(client: QueryClient, recording: Recording): void {
  // What is on its way was asked for before this change, and would undo it on the screen.
  void client.cancelQueries({ queryKey: ['project', recording.project_id] })
  client.setQueryData<Project>(['project', recording.project_id], (project) =>
    project && { ...project, recordings: project.recordings.map((one) => (one.id === recording.id ? recording : one)) },
  )
}
