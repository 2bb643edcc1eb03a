import { describe, expect, it } from 'vitest'

import type { Rule } from '@/api/client'

import { draftOf, newCondition, newDraft, proposedName, ruleOf, whenOf, type Draft } from './draft'

const RULE: Rule = {
  name: 'Mooring permits',
  enabled: true,
  runs: ['arrival'],
  accounts: [],
  when: {
    any: [
      {
        field: 'recipient',
        test: 'is',
        values: ['moorings@trust.example'],
        case: false,
        part: 'address',
      },
      { field: 'subject', test: 'words', values: ['permit', 'licence'], case: false },
      { field: 'from', test: 'under', values: ['trust.example'], case: false, part: 'domain' },
    ],
  },
  unless: null,
  then: [
    { do: 'file', folder: 'Moorings/Permits' },
    { do: 'label', label: 'Permit' },
  ],
  stop: true,
}

function draftWith(...conditions: [subject: string, ...values: string[]][]): Draft {
  return {
    ...newDraft(),
    conditions: conditions.map(([subject, ...values]) => ({ ...newCondition(subject), values })),
  }
}

describe('a draft', () => {
  it('gives back the rule it was made from, unchanged', () => {
    const draft = draftOf(RULE)
    expect(draft).toBeDefined()
    expect(draft && ruleOf(draft)).toEqual(RULE)
  })

  it.each<[string, Partial<Rule>]>([
    ['exceptions', { unless: { always: true } }],
    ['nested groups', { when: { all: [{ any: [RULE.when] }] } }],
    ['not', { when: { not: { always: true } } }],
    ['exact case', { when: { field: 'subject', test: 'is', values: ['x'], case: true } }],
    [
      'other fields',
      { when: { field: 'cc', test: 'is', values: ['x'], case: false, part: 'any' } },
    ],
    ['other runs', { runs: ['arrival', 'hand'] }],
    ['accounts', { accounts: ['a@x.example'] }],
    ['other actions', { then: [{ do: 'keep' }] }],
  ])('is not made of a rule with %s, which would be lost on saving', (_, change) => {
    expect(draftOf({ ...RULE, ...change })).toBeUndefined()
  })

  it('counts what is being typed, and leaves out what says nothing yet', () => {
    const draft = draftWith(['subject', 'permit'], ['body'], ['from'])
    const last = draft.conditions.at(-1)
    if (last) last.typed = ' heron '
    expect(whenOf(draft)).toEqual({
      all: [
        { field: 'subject', test: 'words', values: ['permit'], case: false },
        { field: 'from', test: 'contains', values: ['heron'], case: false, part: 'address' },
      ],
    })
    expect(whenOf(draftWith(['body']))).toBeUndefined()
    expect(ruleOf(newDraft())).toBeUndefined()
  })

  it.each<[string, Draft]>([
    [
      'Permit or licence, to moorings@',
      draftWith(['recipient', 'moorings@'], ['subject', 'permit', 'licence']),
    ],
    ['From a or b …', draftWith(['from-domain', 'a', 'b', 'c'])],
    ['Permits', { ...newDraft(), folder: 'Moorings/Permits' }],
    ['', newDraft()],
  ])('proposes the name “%s”', (name, draft) => {
    expect(proposedName(draft)).toBe(name)
  })

  it('keeps a name that a person typed', () => {
    const draft = { ...draftWith(['subject', 'permit']), named: true, name: 'Mine' }
    expect(ruleOf(draft)?.name).toBe('Mine')
  })
})
