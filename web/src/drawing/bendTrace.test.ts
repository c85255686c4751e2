import { expect, test } from 'vitest'
import { bendScale } from './bendTrace'

const ties = [
  { t_ref: 1, late_ms: -900 },
  { t_ref: 5, late_ms: 12 },
  { t_ref: 6, late_ms: -17 },
]

test('the trace is scaled to what is seen of it', () => {
  expect(bendScale(ties, 0, 10)).toBe(1000)
  expect(bendScale(ties, 4, 10)).toBe(20)
})

test('a stretch without ties is scaled to all', () => expect(bendScale(ties, 2, 3)).toBe(1000))

test('no difference is drawn larger than it is', () => expect(bendScale([{ t_ref: 1, late_ms: 0.1 }], 0, 2)).toBe(10))
