import { expect, test } from 'vitest'
import { owedFrom } from './owed'

const SEGMENTS = [
  { when: 10, first: 0, samples: 100 },
  { when: 11, first: 100, samples: 200 },
]

test('what is past is not owed, and what is next comes short', () => {
  expect(owedFrom(10.5, SEGMENTS, 100, 0.2)).toEqual([
    { when: 10.5, first: 50, samples: 20 },
    { when: 10.7, first: 70, samples: 30 },
    { when: 11, first: 100, samples: 200 },
  ])
})

test('a short rest is not cut again, and after the end nothing is owed', () => {
  expect(owedFrom(12.9, SEGMENTS, 100, 0.2)).toEqual([{ when: 12.9, first: 290, samples: 10 }])
  expect(owedFrom(13, SEGMENTS, 100, 0.2)).toEqual([])
})
