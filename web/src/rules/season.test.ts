import { describe, expect, it } from 'vitest'

import { newCondition, newDraft, ruleOf } from './draft'
import { dayOf, seasonOf } from './season'

function ruleFor(from: string, until: string) {
  const draft = { ...newDraft(), active: { from, until } }
  draft.when.nodes = [{ ...newCondition('subject'), values: ['permit'] }]
  const rule = ruleOf(draft)
  if (!rule) throw new Error('it has a condition')
  return rule
}

describe('a rule for a time', () => {
  it.each([
    ['2026-08-02', '2026-08-03', '2026-08-17', 'waits'],
    ['2026-08-03', '2026-08-03', '2026-08-17', undefined],
    ['2026-08-17', '2026-08-03', '2026-08-17', undefined],
    ['2026-08-18', '2026-08-03', '2026-08-17', 'over'],
    ['2026-08-18', '2026-08-03', '', undefined],
    ['2026-08-18', '', '2026-08-17', 'over'],
    ['2026-08-18', '', '', undefined],
  ])('on %s, for %s to %s', (today, from, until, season) => {
    expect(seasonOf(ruleFor(from, until), today)).toBe(season)
  })

  it('has its day where the owner is', () => {
    const moment = new Date('2026-08-02T23:30:00Z')
    expect(dayOf(moment, 'UTC')).toBe('2026-08-02')
    expect(dayOf(moment, 'Europe/Lisbon')).toBe('2026-08-03')
  })
})
