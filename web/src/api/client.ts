import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Project = components['schemas']['ProjectOut']
export type ProjectSummary = components['schemas']['ProjectSummary']
export type Recording = components['schemas']['RecordingOut']
export type Change = components['schemas']['ChangeOut']
export type Media = components['schemas']['MediaOut']
export type Work = components['schemas']['WorkOut']
export type FrameRate = components['schemas']['FrameRateOut']['rate']
export type FolderFile = components['schemas']['FileOut']
export type Delivery = components['schemas']['DeliveryOut']
export type MatchCurve = components['schemas']['CurveOut']
export type Mark = components['schemas']['MarkOut']
export type Timecode = components['schemas']['TimecodeOut']
export type Doubling = components['schemas']['DoublingOut']
export type Timing = components['schemas']['TimingOut']
export type Edit = paths['/api/recordings/{recording_id}/map-edits']['post']['requestBody']['content']['application/json']
type WithoutVersion<T> = T extends unknown ? Omit<T, 'version'> : never
/** An edit as a person wishes it, before the version that it is made on is known. */
export type EditWish = WithoutVersion<Edit>
export type Status = Recording['status']
export type Act = components['schemas']['ActIn']['act']
export type Window = components['schemas']['WindowOut']
export type Bend = components['schemas']['BendOut']
export type Pieces = number[][][]

export const api = createClient<paths>({ baseUrl: '/' })

/** A refused request; `message` is the server's sentence, `kind` the problem's type. */
export class Refused extends Error {
  constructor(
    message: string,
    readonly kind: string,
  ) {
    super(message)
  }
}

type Answer<T> = { data?: T; error?: unknown; response: Response }

/** The data of an answer; throws `Refused` with the server's sentence. */
export async function told<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await asked
  } catch {
    throw new Refused('The server does not answer. Is Gullywind still running?', 'urn:gullywind:away')
  }
  if (answer.response.ok) return answer.data as T
  const problem = answer.error as { detail?: string; type?: string } | undefined
  throw new Refused(problem?.detail ?? 'The server could not do this.', problem?.type ?? 'urn:gullywind:error')
}
