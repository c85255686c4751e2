// @vitest-environment jsdom
import { QueryClient } from '@tanstack/react-query'
import { expect, test } from 'vitest'
import type { Pieces, Project, Recording } from '../../api/client'
import { timeAt } from '../../time/viewport'
import { createBench, loupeMove, viewOf } from './benchStore'

const PIECES: Pieces = [
  [
    [10, 0],
    [50, 40],
  ],
  [
    [52, 40],
    [90, 78],
  ],
]
const EARLIER: Pieces = [
  [
    [0, 0],
    [78, 78],
  ],
]
const project = { id: 'p' } as Project
const reference = { id: 'r', media: { duration_s: 80 } } as Recording
const recording = {
  id: 'a',
  version: 3,
  earlier_id: 'before',
  map: { id: 'now', pieces: PIECES, start_ref_s: 10, end_ref_s: 90 },
} as unknown as Recording

const bench = () => createBench(new QueryClient(), { project, reference, recording, stored: PIECES, earlier: EARLIER })

test('a drag is drawn, and comes to nothing where it is broken off', () => {
  const store = bench()
  store.getState().preview({ kind: 'shift', byS: 2 })
  expect(store.getState().pieces[0]![0]).toEqual([12, 0])
  store.getState().preview({ kind: 'slide', index: 1, byS: 1 })
  expect(store.getState().pieces[1]![0]).toEqual([53, 40])
  expect(store.getState().pieces[0]![0]).toEqual([10, 0])
  store.getState().preview(null)
  expect(store.getState().pieces).toEqual(PIECES)
})

test('keys that are held are drawn at once, as one move', () => {
  const store = bench()
  for (let i = 0; i < 5; i++) store.getState().nudge(0.01)
  expect(store.getState().pendingS).toBeCloseTo(0.05, 12)
  expect(store.getState().pieces[0]![0]![0]).toBeCloseTo(10.05, 12)
})

test('the version before is shown and heard while it is held back', () => {
  const store = bench()
  store.getState().holdBack(true)
  expect([store.getState().pieces, store.getState().mapId]).toEqual([EARLIER, 'before'])
  store.getState().holdBack(false)
  expect([store.getState().pieces, store.getState().mapId]).toEqual([PIECES, 'now'])
})

test('an answer that was asked for before an edit does not take it back', () => {
  const store = bench()
  store.getState().show({ project, reference, recording: { ...recording, version: 2, name: 'old' }, stored: EARLIER, earlier: null })
  expect(store.getState().pieces).toEqual(PIECES)
  store.getState().show({ project, reference, recording: { ...recording, version: 4 }, stored: EARLIER, earlier: null })
  expect(store.getState().pieces).toEqual(EARLIER)
})

test('a piece that is gone is not chosen any more', () => {
  const store = bench()
  store.getState().choosePiece(1)
  store.getState().show({ project, reference, recording: { ...recording, version: 4 }, stored: EARLIER, earlier: null })
  expect(store.getState().piece).toBeNull()
})

test('the view is all of it until it is moved, and as wide as the window', () => {
  const store = bench()
  store.getState().measure(900)
  expect(viewOf(store.getState())).toEqual({ startS: 0, secondsPerPx: 0.1 })
  const { whole } = store.getState()
  store.getState().preview({ kind: 'shift', byS: 1 })
  expect(store.getState().whole).toBe(whole)
  store.getState().zoom(0.5, 1e9)
  expect(viewOf(store.getState()).secondsPerPx).toBeCloseTo(0.05, 12)
  store.getState().showAll()
  expect(viewOf(store.getState())).toBe(whole)
})

test('keys come closer to the playhead where the recording is, else to the middle', () => {
  const store = bench()
  store.getState().measure(900)
  store.getState().zoom(0.5, 20)
  expect(timeAt(viewOf(store.getState()), 200)).toBeCloseTo(20, 9)
  store.getState().showAll()
  store.getState().zoom(0.5, 0)
  expect(timeAt(viewOf(store.getState()), 450)).toBeCloseTo(45, 9)
})

test('what a loupe moves: all, or the clock where another moment is held', () => {
  const store = bench()
  store.getState().lookAt([10, 40, 80])
  expect(loupeMove(store.getState(), 2, 0.1)).toEqual({ kind: 'shift', byS: 0.1 })
  store.getState().holdLoupe(0)
  expect(loupeMove(store.getState(), 2, 0.1)).toEqual({ kind: 'stretch', holdS: 10, atS: 80, byS: 0.1 })
  expect(loupeMove(store.getState(), 0, 0.1)).toBeNull()
})
