import { useEffect, useMemo, useState } from 'react'
import type { Move } from './geometry/moves'

export interface Loupes {
  /** Where the loupes look, s of reference time. */
  centresS: readonly number[]
  look: (index: number, atS: number) => void
  /** The loupe whose moment is held: what is moved in another one changes the clock. */
  held: number | null
  hold: (index: number | null) => void
  /** What moving the sound in a loupe does; null where its moment is held. */
  moveAt: (index: number, byS: number) => Move | null
}

const NONE: readonly number[] = []

/** Where the loupes look, beginning with the moments that the server found worth it. */
export function useLoupes(moments: readonly number[] | undefined): Loupes {
  const [centresS, setCentres] = useState(moments ?? NONE)
  const [held, hold] = useState<number | null>(null)
  useEffect(() => setCentres(moments ?? NONE), [moments])
  return useMemo(
    () => ({
      centresS,
      look: (index, atS) => setCentres((old) => old.map((one, i) => (i === index ? atS : one))),
      held,
      hold,
      moveAt: (index, byS) => {
        if (held === null) return { kind: 'shift', byS }
        return held === index ? null : { kind: 'stretch', holdS: centresS[held]!, atS: centresS[index]!, byS }
      },
    }),
    [centresS, held],
  )
}
