// @vitest-environment jsdom
import { expect, test } from 'vitest'
import { showHead } from './showHead'

test('the line is written only where it comes to another pixel', () => {
  const line = document.createElement('div')
  const watched = new MutationObserver(() => undefined)
  watched.observe(line, { attributes: true })
  // A second of frames, in which the line comes on by two pixels and a half.
  for (let frame = 0; frame < 60; frame++) showHead(line, 100 + frame / 24, 800)
  expect(watched.takeRecords()).toHaveLength(4)
  expect(line.style.transform).toBe('translateX(102px)')
})

test('outside its window it is hidden', () => {
  const line = document.createElement('div')
  showHead(line, 801, 800)
  expect(line.style.visibility).toBe('hidden')
  showHead(line, 800, 800)
  expect(line.style.visibility).toBe('visible')
})
