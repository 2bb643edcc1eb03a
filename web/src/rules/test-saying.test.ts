import { describe, expect, it } from 'vitest'

import type { Test } from '@/api/client'

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
})
