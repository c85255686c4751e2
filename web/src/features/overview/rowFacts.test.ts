import { expect, test } from 'vitest'
import type { Recording, Work } from '../../api/client'
import { shownWorks, tied } from './rowFacts'

const work = (id: string, kind: Work['kind'], state: Work['state'], recording_id: string | null) =>
  ({ id, kind, state, recording_id }) as Work
const recording = (id: string, set_id: string | null) => ({ id, set_id }) as Recording

test('a row shows the first work that is not a proof and has not failed', () => {
  const shown = shownWorks([
    work('1', 'prove', 'running', 'camera'),
    work('2', 'place', 'failed', 'camera'),
    work('3', 'listen', 'running', 'camera'),
    work('4', 'place', 'queued', 'camera'),
    work('5', 'prove', 'queued', 'phone'),
    work('6', 'deliver', 'running', null),
  ])
  expect(shown.get('camera')?.id).toBe('3')
  expect(shown.size).toBe(1)
})

test('works keep their order', () => {
  const works = [work('1', 'listen', 'running', 'a'), work('2', 'listen', 'queued', 'b')]
  shownWorks(works)
  expect(works.map((one) => one.id)).toEqual(['1', '2'])
})

test('a set of one ties nothing', () => {
  const [left, right, alone, free] = [recording('l', 's'), recording('r', 's'), recording('a', 't'), recording('f', null)]
  const isTied = tied([left!, right!, alone!, free!])
  expect([left, right, alone, free].map((one) => isTied(one!))).toEqual([true, true, false, false])
})
