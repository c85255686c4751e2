import { expect, test } from 'vitest'
import { levelOf, turnsOf } from './ways'

test('turns cover a stretch without a gap, the reference first in even seconds', () => {
  expect(turnsOf(2.5, 4.25)).toEqual([
    { beginS: 2.5, endS: 3, isRef: true },
    { beginS: 3, endS: 4, isRef: false },
    { beginS: 4, endS: 4.25, isRef: true },
  ])
  expect(turnsOf(3, 3)).toEqual([])
})

test('a difference takes the recording from the reference', () => {
  expect(levelOf('difference', true, 2, 0.25)).toBe(1)
  expect(levelOf('difference', false, 2, 0.25)).toBe(-0.25)
  expect(levelOf('reference', false, 2, 1)).toBe(0)
  expect(levelOf('both', true, 2, 1)).toBeCloseTo(Math.SQRT1_2, 12)
})
