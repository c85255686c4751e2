import type { Recording } from './client'

/** Rank by status: what needs a person first. */
const RANK = { unsure: 0, failed: 1, unplaced: 2, placed: 3, waiting: 4 } as const satisfies Record<Recording['status'], number>

/** What was set aside comes last: nobody waits for it. */
const rank = (one: Recording): number => (one.set_aside ? RANK.waiting + 1 : RANK[one.status])

export const needsPerson = (one: Recording): boolean => rank(one) < RANK.placed

/** What needs a person, then what is placed in the order of its start, then what waits. */
export const inOrder = (recordings: readonly Recording[]): Recording[] =>
  [...recordings].sort((a, b) => rank(a) - rank(b) || (a.map?.offset_s ?? 0) - (b.map?.offset_s ?? 0) || a.name.localeCompare(b.name))
