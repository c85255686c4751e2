import type { Recording } from '../../api/client'

export type Bracket = 'first' | 'middle' | 'last' | null

/** Rows with those of one set side by side, each with its part of the bracket around them. */
export function withBrackets(rows: readonly Recording[]): [Recording, Bracket][] {
  const done = new Set<string>()
  return rows.flatMap((row): [Recording, Bracket][] => {
    if (done.has(row.id)) return []
    const members = row.set_id === null ? [row] : rows.filter((one) => one.set_id === row.set_id)
    members.forEach((one) => done.add(one.id))
    if (members.length < 2) return [[row, null]]
    return members.map((one, i) => [one, i === 0 ? 'first' : i === members.length - 1 ? 'last' : 'middle'])
  })
}
