import { expect, test } from 'vitest'
import { frameAt, middleOf, rateFrom, startOf } from './frames'

test('rates are read as they are written', () => {
  expect(rateFrom('25')).toBe(25)
  expect(rateFrom('30000/1001')).toBeCloseTo(29.97003, 5)
  expect([rateFrom(null), rateFrom('0/0')]).toEqual([25, 25])
})

test('every frame begins where it says, whatever the rate', () => {
  for (const rate of [24000 / 1001, 25, 30000 / 1001, 50, 60]) {
    const frames = { startS: 0.37, rate }
    for (let n = 0; n < 5000; n += 7) {
      expect(frameAt(frames, startOf(frames, n))).toBe(n)
      expect(frameAt(frames, middleOf(frames, n))).toBe(n)
      expect(frameAt(frames, startOf(frames, n) - 1e-4)).toBe(n - 1)
    }
  }
})
