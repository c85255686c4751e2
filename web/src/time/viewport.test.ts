import { expect, test } from 'vitest'
import { ticks, timeAt, xOf, zoomed } from './viewport'

test('a scale has its inverse', () => {
  const view = { startS: -3.25, secondsPerPx: 0.0123 }
  for (const x of [0, 17.5, 960]) expect(xOf(view, timeAt(view, x))).toBeCloseTo(x, 9)
})

test('zooming keeps the time under the pointer', () => {
  for (const factor of [0.5, 1.7]) expect(timeAt(zoomed({ startS: 10, secondsPerPx: 0.1 }, 300, factor, 1), 300)).toBeCloseTo(40, 9)
})

test('zoom has limits', () => {
  const view = { startS: 0, secondsPerPx: 0.1 }
  expect(zoomed(view, 0, 1e9, 0.25).secondsPerPx).toBe(0.25)
  expect(zoomed(view, 0, 1e-12, 1).secondsPerPx).toBeGreaterThan(0)
})

test('ticks are round and inside', () => {
  expect(ticks({ startS: 3.2, secondsPerPx: 0.05 }, 900)).toEqual({ stepS: 10, timesS: [10, 20, 30, 40] })
})
