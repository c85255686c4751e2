import { expect, test } from 'vitest'
import { paceOf } from './pacing'

test('what is late runs faster, what is early slower, and in step it runs by the map', () => {
  expect(paceOf(0, 1.00004)).toEqual({ kind: 'rate', rate: 1.00004 })
  expect(paceOf(0.03, 1)).toEqual({ kind: 'rate', rate: 1.2 })
  expect(paceOf(-0.03, 1)).toEqual({ kind: 'rate', rate: 0.8 })
})

test('it never runs too fast to be decoded, and jumps where that would take long', () => {
  expect(paceOf(0.39, 1)).toEqual({ kind: 'rate', rate: 2 })
  expect(paceOf(-0.39, 1)).toEqual({ kind: 'rate', rate: 0.5 })
  expect(paceOf(0.6, 1)).toEqual({ kind: 'jump' })
})

test('followed again and again it comes into step and stays there', () => {
  let lateS = 0.2
  for (let frame = 0; frame < 25; frame++) {
    const pace = paceOf(lateS, 1)
    if (pace.kind === 'rate') lateS -= (pace.rate - 1) * 0.04
  }
  expect(Math.abs(lateS)).toBeLessThan(0.002)
})
