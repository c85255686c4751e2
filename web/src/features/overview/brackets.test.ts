import { expect, test } from 'vitest'
import type { Recording } from '../../api/client'
import { withBrackets } from './brackets'

const row = (id: string, set_id: string | null = null): Recording => ({ id, set_id }) as Recording
const told = (rows: Recording[]): string[] => withBrackets(rows).map(([one, bracket]) => `${one.id} ${bracket}`)

test('members of a set stand side by side, where the first of them stands', () => {
  expect(told([row('a'), row('b', 's'), row('c'), row('d', 's'), row('e', 's')])).toEqual([
    'a null',
    'b first',
    'd middle',
    'e last',
    'c null',
  ])
})

test('a member whose others are elsewhere has no bracket', () => {
  expect(told([row('a', 's'), row('b', 't')])).toEqual(['a null', 'b null'])
})
