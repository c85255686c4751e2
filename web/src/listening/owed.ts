/** A stretch that was scheduled: from which moment of the audio clock, and which samples. */
export interface Segment {
  when: number
  first: number
  samples: number
}

/** What of the scheduled stretches is still to come at a moment; what is heard next comes first and short. */
export function owedFrom(at: number, segments: readonly Segment[], rate: number, headS: number): Segment[] {
  const owed = segments.flatMap((segment) => {
    const skip = Math.max(0, Math.round((at - segment.when) * rate))
    const samples = segment.samples - skip
    return samples > 0 ? [{ first: segment.first + skip, samples, when: segment.when + skip / rate }] : []
  })
  const next = owed[0]
  if (!next) return []
  const head = Math.min(next.samples, Math.round(headS * rate))
  const rest = { first: next.first + head, samples: next.samples - head, when: next.when + head / rate }
  return [{ ...next, samples: head }, ...(rest.samples > 0 ? [rest] : []), ...owed.slice(1)]
}
