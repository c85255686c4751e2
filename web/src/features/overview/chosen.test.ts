import { expect, test } from 'vitest'
import { withOne } from './chosen'

const ORDER = ['a', 'b', 'c', 'd', 'e']
const chosen = (ids: string[], lastId: string | null) => ({ ids: new Set(ids), lastId })

test('one is chosen, and let go of', () => {
  expect([...withOne(chosen([], null), 'b', false, ORDER)]).toEqual(['b'])
  expect([...withOne(chosen(['b', 'c'], 'c'), 'b', false, ORDER)]).toEqual(['c'])
})

test('a range goes from the last one, in either direction, and keeps what was chosen', () => {
  expect([...withOne(chosen(['a', 'd'], 'd'), 'b', true, ORDER)].sort()).toEqual(['a', 'b', 'c', 'd'])
  expect([...withOne(chosen(['b'], 'b'), 'd', true, ORDER)]).toEqual(['b', 'c', 'd'])
})

test('a range from what is not shown any more is one', () => {
  expect([...withOne(chosen(['x'], 'x'), 'b', true, ORDER)].sort()).toEqual(['b', 'x'])
})
