import { expect, it } from 'vitest'

import { keeping } from './unchanged'

const BEFORE = [
  { id: 1, name: 'a' },
  { id: 2, name: 'b' },
]

it.each([
  ['all is as it was', [BEFORE[0], BEFORE[1]], [0, 1], true],
  ['one has changed', [BEFORE[0], { id: 2, name: 'c' }], [0, undefined], false],
  ['their order has changed', [BEFORE[1], BEFORE[0]], [1, 0], false],
  ['one has come', [...BEFORE, { id: 3, name: 'b' }], [0, 1, undefined], false],
  ['one has gone', [BEFORE[1]], [1], false],
])('keeps what is equal: %s', (_, now, kept, whole) => {
  const answered = structuredClone(now) as typeof BEFORE
  const shown = keeping(BEFORE, answered)
  expect(shown).toEqual(now)
  expect(shown === BEFORE).toBe(whole)
  expect(shown.map((item) => (BEFORE.includes(item) ? BEFORE.indexOf(item) : undefined))).toEqual(
    kept,
  )
})
