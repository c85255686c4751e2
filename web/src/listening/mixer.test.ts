import { expect, test } from 'vitest'
import { anySolo, isHeard, PLAIN, wiredVoices } from './mixer'

test('solo silences the others, and muted wins over solo', () => {
  const voices = { a: { ...PLAIN, solo: true }, b: { ...PLAIN }, c: { ...PLAIN, solo: true, muted: true } }
  const ids = ['a', 'b', 'c', 'd']
  const heard = ids.map((id) => isHeard(voices[id as keyof typeof voices] ?? PLAIN, anySolo(voices, ids)))
  expect(heard).toEqual([true, false, false, false])
})

test('what is solo but not there any more silences nobody', () => {
  expect(wiredVoices({ gone: { ...PLAIN, solo: true } }, ['a'], anySolo({ gone: { ...PLAIN, solo: true } }, ['a']))).toEqual([])
})

test('only what differs is sent', () => {
  const voices = { a: { ...PLAIN, levelDb: -6 }, b: PLAIN, c: { ...PLAIN, muted: true } }
  expect(wiredVoices(voices, ['a', 'b', 'c', 'd'], false)).toEqual([
    { recording_id: 'a', level_db: -6, position: 0, muted: false },
    { recording_id: 'c', level_db: 0, position: 0, muted: true },
  ])
})
