import { expect, test } from 'vitest'
import { settledBy } from './ties'

test('a dragged sound settles on the nearest moment within reach', () => {
  const moments = [1, 2, 2.03, 5]
  expect(1.5 + settledBy(1.5, 0.52, moments, 0.05)).toBeCloseTo(2.03, 12)
  expect(1.5 + settledBy(1.5, 0.49, moments, 0.05)).toBeCloseTo(2, 12)
  expect(settledBy(1.5, 0.3, moments, 0.05)).toBe(0.3)
  expect(settledBy(1.5, 0.3, [], 0.05)).toBe(0.3)
})
