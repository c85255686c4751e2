import { expect, test } from 'vitest'
import { isHeard, PLAIN, wiredVoices } from './mixer'

test('solo silences the others, and muted wins over solo', () => {
  const voices = { a: { ...PLAIN, solo: true }, b: { ...PLAIN }, c: { ...PLAIN, solo: true, muted: true } }
  expect(['a', 'b', 'c', 'd'].map((id) => isHeard(voices, id))).toEqual([true, false, false, false])
})

test('only what differs is sent', () => {
  const voices = { a: { ...PLAIN, levelDb: -6 }, b: PLAIN, c: { ...PLAIN, muted: true } }
  expect(wiredVoices(voices, ['a', 'b', 'c', 'd'])).toEqual([
    { recording_id: 'a', level_db: -6, position: 0, muted: false },
    { recording_id: 'c', level_db: 0, position: 0, muted: true },
  ])
})
