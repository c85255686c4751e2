/** Ways of hearing a reference and what is lined up to it. */

export type Way = 'reference' | 'recording' | 'both' | 'ears' | 'turns' | 'difference'
export const WAYS: readonly { way: Way; label: string; key: string }[] = [
  { way: 'reference', label: 'Reference', key: '1' },
  { way: 'recording', label: 'Recording', key: '2' },
  { way: 'both', label: 'Both', key: '3' },
  { way: 'ears', label: 'One in each ear', key: '4' },
  { way: 'turns', label: 'In turns', key: '5' },
  { way: 'difference', label: 'Difference', key: '6' },
]

/** How long each is heard in turns, s, and a moment at which the reference's turn begins, s of reference time. */
export interface Turn {
  lengthS: number
  originS: number
}

/** Turns that are offered anywhere, s; a bar is as long as what is selected. */
export const TURNS_S: readonly number[] = [0.5, 1, 2, 4]
/** Shorter ones would be a tremolo, s. */
export const LEAST_TURN_S = 0.1

/** How loud a track is, of so many; in turns they change, see `turnsOf`. `taken` is the recording's gain in a difference. */
export function levelOf(way: Way, isRef: boolean, tracks: number, taken: number): number {
  if (way === 'both') return 1 / Math.sqrt(Math.max(tracks, 1))
  // What remains when one is taken from the other.
  if (way === 'difference') return isRef ? 1 : -taken
  return way === 'ears' || (way === 'reference') === isRef ? 1 : 0
}

/** The turns of a stretch of reference time: from when to when, s, and whether the reference has it. */
export function turnsOf(fromS: number, untilS: number, { lengthS, originS }: Turn): { beginS: number; endS: number; isRef: boolean }[] {
  const turns = []
  const startOf = (turn: number): number => originS + turn * lengthS
  for (let turn = Math.floor((fromS - originS) / lengthS); startOf(turn) < untilS; turn++)
    turns.push({ beginS: Math.max(startOf(turn), fromS), endS: Math.min(startOf(turn + 1), untilS), isRef: turn % 2 === 0 })
  return turns
}
