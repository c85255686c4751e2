import { expect, test } from 'vitest'
import { msAt, scaleFor, type Dot } from './trace'

const dots: Dot[] = Array.from({ length: 9 }, (_, i) => ({ tRefS: i, lagMs: 0.03, quality: 20, verdict: 'agrees' }))
const stray: Dot = { tRefS: 9, lagMs: 70, quality: 9, verdict: 'differs' }
const flat = [[{ tRefS: 0, ms: 0 }]]

test('the trace scales to what agrees', () => {
  expect(scaleFor([...dots, stray], flat)).toBe(0.05)
  expect(scaleFor(Array<Dot>(5).fill(stray), flat)).toBe(100)
  expect(scaleFor(dots, [[{ tRefS: 0, ms: 0 }], [{ tRefS: 1, ms: -1700 }]])).toBe(5000)
})

test('a map of ten thousand knots has a scale', () => {
  expect(scaleFor(dots, [Array.from({ length: 200_000 }, (_, i) => ({ tRefS: i, ms: i % 3 }))])).toBe(5)
})

test('a height stands for a difference', () => expect(msAt(12, 124, 5)).toBeCloseTo(5, 9))
