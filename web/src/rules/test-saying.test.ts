import { describe, expect, it } from 'vitest'

import type { Test } from '@/api/client'

import { bracketOf, newDraft, ruleOf } from './draft'
import { testSaying } from './test-saying'

const WORD = { field: 'text', test: 'contains', values: ['lock'], case: false } as const
const KIND = { field: 'kind', test: 'is', values: ['newsletter'] } as const

describe('a test in short words', () => {
  it.each<[string, Test]>([
    ['subject or body contains lock', WORD as unknown as Test],
    ['not kind is newsletter', { not: KIND } as unknown as Test],
    [
      'subject or body contains lock or kind is newsletter',
      { any: [WORD, KIND] } as unknown as Test,
    ],
    ['every message', { always: true }],
  ])('says “%s”', (saying, test) => {
    expect(testSaying(test)).toBe(saying)
  })

  it('stands for what the editor can’t take apart, which is saved as it came', () => {
    const when = { all: [{ any: [WORD, KIND] }, KIND] } as unknown as Test
    const draft = { ...newDraft(), ...bracketOf(when) }
    expect(draft.conditions.map((each) => each.kept !== undefined)).toEqual([true, false])
    expect(ruleOf(draft)?.when).toEqual(when)
  })
})
