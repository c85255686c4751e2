import { expect, test } from 'vitest'
import type { Recording } from '../../api/client'
import { BY_NEED, sorted, turned } from './sorting'

const row = (name: string, offset_s: number | null): Recording =>
  ({
    id: name,
    name,
    status: offset_s === null ? 'unplaced' : 'placed',
    set_aside: false,
    map: offset_s === null ? null : { offset_s },
  }) as Recording
const ROWS = [row('Take 10', 5), row('Take 2', 9), row('Stray', null)]
const names = (rows: Recording[]): string[] => rows.map((one) => one.name)

test('what needs a person comes first until something else is wished', () => {
  expect(names(sorted(ROWS, BY_NEED))).toEqual(['Stray', 'Take 10', 'Take 2'])
})

test('names count as people count, and what has no figure comes last either way', () => {
  expect(names(sorted(ROWS, { column: 'name', down: false }))).toEqual(['Stray', 'Take 2', 'Take 10'])
  expect(names(sorted(ROWS, { column: 'start', down: false }))).toEqual(['Take 10', 'Take 2', 'Stray'])
  expect(names(sorted(ROWS, { column: 'start', down: true }))).toEqual(['Take 2', 'Take 10', 'Stray'])
})

test('a column is clicked up, down, and away', () => {
  const up = turned(BY_NEED, 'clock')
  const down = turned(up, 'clock')
  expect([up, down, turned(down, 'clock')]).toEqual([{ column: 'clock', down: false }, { column: 'clock', down: true }, BY_NEED])
})
