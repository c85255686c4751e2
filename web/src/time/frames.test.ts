import { expect, test } from 'vitest'
import { frameAt, middleOf, rateFrom, startOf } from './frames'

test('rates are read as they are written', () => {
  expect(rateFrom('25')).toBe(25)
  expect(rateFrom('30000/1001')).toBeCloseTo(29.97003, 5)
  expect([rateFrom(null), rateFrom('0/0')]).toEqual([25, 25])
})

test('every frame begins where it says, whatever the rate', () => {
  for (const rate of [24000 / 1001, 25, 30000 / 1001, 50, 60]) {
    const frames = { startS: 0.37, rate, timesS: null }
    for (let n = 0; n < 5000; n += 7) {
      expect(frameAt(frames, startOf(frames, n))).toBe(n)
      expect(frameAt(frames, middleOf(frames, n))).toBe(n)
      expect(frameAt(frames, startOf(frames, n) - 1e-4)).toBe(n - 1)
    }
  }
})

test('frames that are not even begin where they begin, and go on beyond their ends', () => {
  const frames = { startS: 0.1, rate: 25, timesS: Float64Array.of(0.1, 0.14, 0.25, 0.26) }
  expect([0.05, 0.1, 0.1399, 0.14, 0.2499, 0.25, 0.27, 9].map((tS) => frameAt(frames, tS))).toEqual([-1, 0, 0, 1, 1, 2, 3, 3])
  expect(middleOf(frames, 1)).toBeCloseTo(0.195, 9)
  expect(middleOf(frames, 3)).toBeCloseTo(0.28, 9)
  expect(startOf(frames, -1)).toBeCloseTo(0.06, 9)
})
