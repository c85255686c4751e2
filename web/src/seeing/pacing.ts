/** How a browser's own player is kept in step with the sound: what to do after a frame that was seen. */

export type Pace = { kind: 'rate'; rate: number } | { kind: 'jump' }

/** Further off than this it is sent there at once, s. */
const JUMP_S = 0.4
/** What is off is made good in about so long, s. */
const WITHIN_S = 0.15
/** Of a muted picture nobody hears how fast it runs. */
const LEAST_RATE = 0.5
const MOST_RATE = 2

/**
 * What a picture that was seen `lateS` after its moment (negative: before it) does next; `slope`: seconds of the picture
 * a second of what is heard.
 */
export function paceOf(lateS: number, slope: number): Pace {
  if (Math.abs(lateS) > JUMP_S) return { kind: 'jump' }
  return { kind: 'rate', rate: Math.min(Math.max(slope * (1 + lateS / WITHIN_S), LEAST_RATE), MOST_RATE) }
}
