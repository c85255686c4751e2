import type { Recording } from '../../api/client'
import { inOrder } from '../../api/order'

/** Columns that the rows can be sorted by; `need`: what needs a person first. */
export type Column = 'need' | 'name' | 'start' | 'clock' | 'left over' | 'sure'

export interface Sorting {
  column: Column
  down: boolean
}

export const BY_NEED: Sorting = { column: 'need', down: false }
const SORTING_KEY = 'gullywind-sorting'

const FIGURES: Record<Exclude<Column, 'need' | 'name'>, (one: Recording) => number | null | undefined> = {
  start: (one) => one.map?.offset_s,
  clock: (one) => one.map?.clock_ppm,
  'left over': (one) => (one.proof?.current ? one.proof.median_ms : null),
  sure: (one) => (one.map && one.as_judged ? one.judgement?.confidence : null),
}

/** Rows in the order that is wished; those without the figure come last either way. */
export function sorted(recordings: readonly Recording[], { column, down }: Sorting): Recording[] {
  const rows = inOrder(recordings)
  if (column === 'need') return rows
  const sign = down ? -1 : 1
  if (column === 'name') return rows.sort((a, b) => sign * a.name.localeCompare(b.name, undefined, { numeric: true }))
  const figure = FIGURES[column]
  return rows.sort((a, b) => {
    const [x, y] = [figure(a), figure(b)]
    if (x == null || y == null) return Number(x == null) - Number(y == null)
    return sign * (x - y)
  })
}

/** What a click on a column does: up, then down, then what needs a person first again. */
export function turned({ column, down }: Sorting, clicked: Column): Sorting {
  if (column !== clicked) return { column: clicked, down: false }
  return down ? BY_NEED : { column, down: true }
}

export function remembered(): Sorting {
  try {
    const kept = JSON.parse(localStorage.getItem(SORTING_KEY) ?? '') as Sorting
    return kept.column === 'name' || kept.column in FIGURES ? kept : BY_NEED
  } catch {
    return BY_NEED
  }
}

export const remember = (sorting: Sorting): void => localStorage.setItem(SORTING_KEY, JSON.stringify(sorting))
