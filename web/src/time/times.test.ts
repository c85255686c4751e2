import { expect, test } from 'vitest'
import { rateFrom } from './rate'
import { clock, numberFrom, signed, timecode, timeFrom } from './times'

test('times are written for people', () => {
  expect(clock(3723.45, 1)).toBe('1:02:03.5')
  expect(clock(59.96, 1)).toBe('1:00.0')
  expect(clock(-6.218, 3)).toBe('−0:06.218')
  expect(timecode(3661.52, 25)).toBe('01:01:01:13')
  expect(timecode(0.99999999, 25)).toBe('00:00:01:00')
  expect(signed(-0.0004, 3)).toBe('0.000')
  expect(signed(-38.06, 1)).toBe('−38.1')
})

test.each([
  ['38.1', 'ppm', 1.0000381],
  ['−2,5 ppm', 'ppm', 0.9999975],
  ['+12', 'ppm', 1.000012],
  ['24/25', 'ppm', 0.96],
  ['1000 : 1001', 'ppm', 1000 / 1001],
  ['95.9 %', 'ppm', 0.959],
  ['96', '%', 0.96],
  ['96 ppm', '%', 1.000096],
] as const)('a clock typed as %s (%s) is read', (text, shown, expected) => {
  expect(rateFrom(text, shown)).toBeCloseTo(expected, 12)
})

test.each(['fast', '1/0', ''])('%s is no clock', (text) => expect(rateFrom(text, 'ppm')).toBeNull())

test.each([
  ['−3,5 dB', 'dB', -3.5],
  ['+12', 'ms', 12],
  [' 0.25 MS ', 'ms', 0.25],
  ['.5', 'ms', 0.5],
  ['12 dB', 'ms', null],
  ['loud', 'dB', null],
  ['', 'dB', null],
] as const)('a figure typed as %s for %s is read', (text, unit, expected) => expect(numberFrom(text, unit)).toBe(expected))

test.each([
  ['95.25', 95.25],
  ['1:35.25', 95.25],
  ['00:01:35:06', 95.24],
  ['−44100 samples', -1],
  ['1 sample', 1 / 44100],
  ['4.5 samples', null],
  ['samples', null],
] as const)('a time typed as %s is read', (text, expected) => expect(timeFrom(text, 25, 44100)).toBe(expected))
