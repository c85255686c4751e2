import { readFileSync } from 'node:fs'
import { describe, expect, test } from 'vitest'
import type { Pieces } from '../api/client'
import { moved, pieceAt, type Move } from './moves'
import { knotAfter, shifted, toRecording, toReference } from './timeMap'

interface Vector {
  name: string
  pieces: Pieces
  t_ref: number[]
  t_rec: (number | null)[]
  moves: { move: Move; pieces: Pieces }[]
}

// Written by Python (scripts/golden.py), which reads them in its own tests as well.
const vectors = JSON.parse(readFileSync(new URL('../../../tests/golden/time_maps.json', import.meta.url), 'utf8')) as Vector[]

const close = (one: Pieces, other: Pieces): void => {
  expect(one.map((knots) => knots.length)).toEqual(other.map((knots) => knots.length))
  one.forEach((knots, p) => knots.forEach((knot, k) => knot.forEach((time, i) => expect(time).toBeCloseTo(other[p]![k]![i]!, 8))))
}

describe.each(vectors)('$name', ({ pieces, t_ref, t_rec, moves }) => {
  test('moments lie where Python says', () => {
    t_ref.forEach((at, i) => {
      const found = toRecording(pieces, at)
      if (t_rec[i] === null) expect(found).toBeNull()
      else expect(found).toBeCloseTo(t_rec[i]!, 8)
    })
  })

  test('and back again', () => {
    for (const at of t_rec) {
      if (at === null) continue
      const there = toReference(pieces, at)
      expect(there).not.toBeNull()
      expect(toRecording(pieces, there!)).toBeCloseTo(at, 8)
    }
  })
  test.each(moves)('a drag ($move.kind) is drawn as the server will answer', ({ move, pieces: expected }) => {
    close(moved(pieces, move), expected)
  })
})

test('no move leaves all as it is', () => {
  const { pieces } = vectors[0]!
  expect(moved(pieces, null)).toBe(pieces)
  expect(shifted(pieces, 0)).toBe(pieces)
})

test('a knot is found by bisection among ten thousand', () => {
  const knots = Array.from({ length: 10_000 }, (_, i) => [i / 7, i / 7])
  for (const at of [0, 0.001, 1, 713.9, 1428.4]) {
    const k = knotAfter(knots, at)
    expect(knots[k]![0]!).toBeGreaterThanOrEqual(at - 1e-9)
    expect(k === 1 || knots[k - 1]![0]! < at).toBe(true)
  }
})

test.each([
  [30, { index: 0, edge: null }],
  [10.3, { index: 0, edge: 'start' }],
  [9.8, { index: 0, edge: 'start' }],
  [50.4, { index: 0, edge: 'end' }],
  [51.8, { index: 1, edge: 'start' }],
  [51, null],
  [95, null],
])('a pointer at %d finds the piece or its edge', (at, expected) => {
  const { pieces } = vectors.find((one) => one.name === 'paused')!
  expect(pieceAt(pieces, at, 0.5)).toEqual(expected)
})
