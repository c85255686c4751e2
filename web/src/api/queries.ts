import { keepPreviousData, queryOptions, skipToken, useQuery, type QueryClient } from '@tanstack/react-query'
import { api, told, type Mark, type Pieces, type Project, type Recording } from './client'

export const projectsOptions = () => queryOptions({ queryKey: ['projects'], queryFn: () => told(api.GET('/api/projects')) })

export const frameRatesOptions = () => queryOptions({ queryKey: ['frame-rates'], queryFn: () => told(api.GET('/api/frame-rates')) })

export const projectOptions = (projectId: string) =>
  queryOptions({
    queryKey: ['project', projectId],
    queryFn: () => told(api.GET('/api/projects/{project_id}', { params: { path: { project_id: projectId } } })),
  })

/** The curve changes only with a new judgement, hence the judged map's id in the key. */
export const curveOptions = (recordingId: string, judgedMap: string | null | undefined) =>
  queryOptions({
    queryKey: ['curve', recordingId, judgedMap ?? ''],
    queryFn: () => told(api.GET('/api/recordings/{recording_id}/match-curve', { params: { path: { recording_id: recordingId } } })),
    staleTime: Infinity,
  })

export const loupesOptions = (recordingId: string, mapId: string) =>
  queryOptions({
    queryKey: ['loupes', recordingId, mapId],
    queryFn: () => told(api.GET('/api/recordings/{recording_id}/loupes', { params: { path: { recording_id: recordingId } } })),
    staleTime: Infinity,
  })

/** A version of a recording: it never changes. */
export const versionOptions = (recordingId: string, versionId: string) =>
  queryOptions({
    queryKey: ['version', versionId],
    queryFn: () =>
      told(
        api.GET('/api/recordings/{recording_id}/versions/{version_id}', {
          params: { path: { recording_id: recordingId, version_id: versionId } },
        }),
      ),
    staleTime: Infinity,
  })

/** The knots of a version: as they came with it, or, where they are many, asked for once. Null until they are here. */
export function usePieces(recordingId: string, version: { id: string; pieces: Pieces | null } | null): Pieces | null {
  const missing = version !== null && version.pieces === null
  const options = versionOptions(recordingId, version?.id ?? '')
  const { data } = useQuery({ ...options, queryFn: missing ? options.queryFn! : skipToken })
  return version?.pieces ?? (missing ? (data?.pieces ?? null) : null)
}

/** The windows of a proof; they belong to one version, and change with it. */
export const proofWindowsOptions = (recordingId: string, mapId: string) =>
  queryOptions({
    queryKey: ['proof-windows', recordingId, mapId],
    queryFn: () => told(api.GET('/api/recordings/{recording_id}/proof-windows', { params: { path: { recording_id: recordingId } } })),
    staleTime: Infinity,
  })

/** Moments of a recording on which a tie may be laid, s; they belong to its file, and never change. */
export const momentsOptions = (recordingId: string) =>
  queryOptions({
    queryKey: ['moments', recordingId],
    queryFn: async () =>
      (await told(api.GET('/api/recordings/{recording_id}/moments', { params: { path: { recording_id: recordingId } } }))).times_s,
    staleTime: Infinity,
  })

/** The ties of a bent recording and how it follows them, as it is (null), or as it would with other settings. */
export const bendOptions = (
  recordingId: string,
  mapId: string,
  wish: { closeness: number; leave_below_ms: number; limit_percent: number; ends: boolean } | null,
) =>
  queryOptions({
    queryKey: ['bend', recordingId, mapId, wish],
    queryFn: () =>
      told(api.GET('/api/recordings/{recording_id}/bend', { params: { path: { recording_id: recordingId }, query: wish ?? {} } })),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  })

/** What was done to a project, or to one of its recordings; anew with every version of either. */
export const changesOptions = (projectId: string, recordingId: string | null, version: number | string) =>
  queryOptions({
    queryKey: ['changes', projectId, recordingId ?? '', version],
    queryFn: () =>
      told(
        api.GET('/api/projects/{project_id}/changes', {
          params: { path: { project_id: projectId }, query: recordingId ? { recording_id: recordingId } : {} },
        }),
      ),
    placeholderData: keepPreviousData,
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

/** What cancels around a moment when the recording is taken from the reference, through one version of the map. */
export const differenceOptions = (recordingId: string, mapId: string, tRefS: number) =>
  queryOptions({
    queryKey: ['difference', recordingId, mapId, tRefS],
    queryFn: () =>
      told(
        api.GET('/api/recordings/{recording_id}/difference', {
          params: { path: { recording_id: recordingId }, query: { map_id: mapId, t_ref: tRefS } },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  })

/** What an ear makes of reference and recording together around a moment, through one version of the map. */
export const doublingOptions = (recordingId: string, mapId: string, tRefS: number) =>
  queryOptions({
    queryKey: ['doubling', recordingId, mapId, tRefS],
    queryFn: () =>
      told(
        api.GET('/api/recordings/{recording_id}/doubling', {
          params: { path: { recording_id: recordingId }, query: { map_id: mapId, t_ref: tRefS } },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  })

/** The marks of all recordings of a project. */
export const marksOptions = (projectId: string) =>
  queryOptions({
    queryKey: ['marks', projectId],
    queryFn: () => told(api.GET('/api/projects/{project_id}/marks', { params: { path: { project_id: projectId } } })),
  })

/** Those of one recording: who shows them is drawn anew when they change, not when those of others do. */
export function useMarksOf(recording: Recording): readonly Mark[] {
  const { data } = useQuery({ ...marksOptions(recording.project_id), select: (all) => byRecording(all).get(recording.id) })
  return data ?? NO_MARKS
}

const NO_MARKS: readonly Mark[] = []
type AllMarks = readonly { recording_id: string; marks: readonly Mark[] }[]
const sorted = new WeakMap<AllMarks, Map<string, readonly Mark[]>>()

/** By the recordings' ids, sorted once for all that ask. */
function byRecording(all: AllMarks): Map<string, readonly Mark[]> {
  const known = sorted.get(all) ?? new Map(all.map((one) => [one.recording_id, one.marks]))
  sorted.set(all, known)
  return known
}

/** What each channel of a recording holds: it never changes. */
export const channelsOptions = (recordingId: string) =>
  queryOptions({
    queryKey: ['channels', recordingId],
    queryFn: () => told(api.GET('/api/recordings/{recording_id}/channels', { params: { path: { recording_id: recordingId } } })),
    staleTime: Infinity,
  })

/** What a recording says of its own time; where it lies by it changes with the reference and with its place. */
export const timecodesOptions = (recordingId: string, mapId: string) =>
  queryOptions({
    queryKey: ['timecodes', recordingId, mapId],
    queryFn: () => told(api.GET('/api/recordings/{recording_id}/timecodes', { params: { path: { recording_id: recordingId } } })),
    placeholderData: keepPreviousData,
  })

/** The sets of a project, and recordings that look like one. */
export const setsOptions = (projectId: string) =>
  queryOptions({
    queryKey: ['sets', projectId],
    queryFn: () => told(api.GET('/api/projects/{project_id}/sets', { params: { path: { project_id: projectId } } })),
  })

/** How the members of a set hear against each other; anew with what is done to one of them. */
export const insideOptions = (projectId: string, setId: string, version: number) =>
  queryOptions({
    queryKey: ['inside', projectId, setId, version],
    queryFn: () =>
      told(
        api.GET('/api/projects/{project_id}/sets/{set_id}/inside', {
          params: { path: { project_id: projectId, set_id: setId } },
        }),
      ),
    placeholderData: keepPreviousData,
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
    queryFn: () => told(api.GET('/api/projects/{project_id}/deliveries', { params: { path: { project_id: projectId } } })),
  })

/**
 * Put a changed recording into the cached project, so that the screen answers before the next push. Returns it as it is
 * kept there: what has not changed in it is what it was.
 */
export function putRecording(client: QueryClient, recording: Recording): Recording {
  put(
    client,
    recording.project_id,
    (project) => project && { ...project, recordings: project.recordings.map((one) => (one.id === recording.id ? recording : one)) },
  )
  const kept = client.getQueryData<Project>(['project', recording.project_id])
  return kept?.recordings.find((one) => one.id === recording.id) ?? recording
}

/** The project as it is after a change of all of it. */
export function putProject(client: QueryClient, project: Project): void {
  put(client, project.id, () => project)
}

function put(client: QueryClient, projectId: string, change: (project: Project | undefined) => Project | undefined): void {
  const key = ['project', projectId]
  const wasAsked = client.isFetching({ queryKey: key }) > 0
  // What is on its way was asked for before this change, and would undo it on the screen.
  void client.cancelQueries({ queryKey: key })
  client.setQueryData<Project>(key, change)
  // It may have been on its way for the sake of others that changed: a set moves and is locked as one.
  if (wasAsked) void client.invalidateQueries({ queryKey: key })
}
