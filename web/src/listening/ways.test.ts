import { expect, test } from 'vitest'
import { levelOf, turnsOf } from './ways'

test('turns cover a stretch without a gap, the reference first in even seconds', () => {
  expect(turnsOf(2.5, 4.25, { lengthS: 1, originS: 0 })).toEqual([
    { beginS: 2.5, endS: 3, isRef: true },
    { beginS: 3, endS: 4, isRef: false },
    { beginS: 4, endS: 4.25, isRef: true },
  ])
  expect(turnsOf(3, 3, { lengthS: 1, originS: 0 })).toEqual([])
})

test('a turn is as long as a bar, counted from where that begins, before it as well', () => {
  const bar = { lengthS: 2.4, originS: 5 }
  expect(turnsOf(5, 10, bar).map(({ beginS, isRef }) => [beginS, isRef])).toEqual([
    [5, true],
    [7.4, false],
    [9.8, true],
  ])
  expect(turnsOf(2.6, 5, bar)).toEqual([{ beginS: 2.6, endS: 5, isRef: false }])
})

test('a difference takes the recording from the reference', () => {
  expect(levelOf('difference', true, 2, 0.25)).toBe(1)
  expect(levelOf('difference', false, 2, 0.25)).toBe(-0.25)
  expect(levelOf('reference', false, 2, 1)).toBe(0)
  expect(levelOf('both', true, 2, 1)).toBeCloseTo(Math.SQRT1_2, 12)
})
