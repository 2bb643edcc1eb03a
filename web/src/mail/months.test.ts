import { expect, it } from 'vitest'

import { monthsBack } from './months'

it.each([
  [
    new Date(2026, 4, 4),
    'after:2026-04-30 before:2026-06-01',
    'after:2026-03-31 before:2026-05-01',
  ],
  [
    new Date(2026, 0, 31),
    'after:2025-12-31 before:2026-02-01',
    'after:2025-11-30 before:2026-01-01',
  ],
])('names this month and the last one, over the turn of a year, too', (now, current, last) => {
  expect(monthsBack(now).map((month) => month.terms)).toEqual([current, last])
})
