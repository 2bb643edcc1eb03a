import { describe, expect, it } from 'vitest'

import { catchUpSaying, daySaying, momentSaying, sizeSaying } from './sayings'

const NOW = new Date(2026, 4, 4, 9, 30)

describe('sayings', () => {
  it.each([
    ['Today', new Date(2026, 4, 4, 0, 0)],
    ['Yesterday', new Date(2026, 4, 3, 23, 59)],
    ['2 May', new Date(2026, 4, 2)],
    ['31 December 2025', new Date(2025, 11, 31)],
  ])('call a day “%s”', (saying, date) => {
    expect(daySaying(date, NOW)).toBe(saying)
  })

  it('speak of a moment inside a sentence', () => {
    expect(momentSaying(new Date(2026, 4, 4, 9, 14), NOW)).toBe('today 09:14')
  })

  it('say what a catch-up did, and nothing that it did not', () => {
    const done = {
      respected: 0,
      left: {},
      changed: 2,
      out_of_inbox: 2,
      places: {},
      moved_to: {},
      by_rule: {},
      taken: 3,
      moved: 2,
      labelled: 0,
      marked: 0,
      unchanged: 1,
    }
    expect(catchUpSaying(done)).toBe('Caught up: 2 moved, 1 in order already')
    expect(catchUpSaying({ ...done, left: { 4: 17 } })).toMatch(/, 17 left to rules above$/)
    expect(catchUpSaying({ ...done, taken: 0 })).toBe('None of the messages here is taken')
  })

  it.each([
    ['999 bytes', 999],
    ['1 KB', 1024],
    ['2.0 MB', 2 * 1024 * 1024],
  ])('give a size as %s', (saying, octets) => {
    expect(sizeSaying(octets)).toBe(saying)
  })
})
