import { expect, test } from 'vitest'
import { around, enter } from './loops'

test('what is heard begins where the playhead is, or with the first stretch', () => {
  const loop = around([0.5, 10, 20], 1)
  expect(loop[0]).toEqual({ startS: 0, endS: 1.5 })
  expect(enter(loop, 10.2)).toEqual({ turn: 1, fromS: 10.2 })
  expect(enter(loop, 15)).toEqual({ turn: 0, fromS: 0 })
  expect(enter(loop, 10.995)).toEqual({ turn: 0, fromS: 0 })
  expect(enter([], 3)).toBeNull()
})
