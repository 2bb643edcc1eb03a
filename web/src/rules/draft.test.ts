import { describe, expect, it } from 'vitest'

import type { Condition, Rule, Test } from '@/api/client'

import {
  draftOf,
  newCondition,
  newDraft,
  newGroup,
  placesOf,
  proposedName,
  ruleOf,
  whenOf,
  type Draft,
} from './draft'

const RULE: Rule = {
  name: 'Mooring permits',
  enabled: true,
  runs: ['arrival'],
  accounts: [],
  active: null,
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

function draftWith(...conditions: [aspect: string, ...values: string[]][]): Draft {
  return {
    ...newDraft(),
    when: newGroup(
      'all',
      conditions.map(([aspect, ...values]) => ({ ...newCondition(aspect), values })),
    ),
  }
}

describe('a draft', () => {
  it('gives back the rule it was made from, unchanged', () => {
    expect(ruleOf(draftOf(RULE))).toEqual(RULE)
  })

  const SUBJECT: Condition = { field: 'subject', test: 'is', values: ['x'], case: true }

  it.each<[string, Partial<Rule>]>([
    ['exceptions', { unless: { any: [SUBJECT] } }],
    ['nested groups', { when: { all: [{ any: [SUBJECT, { all: [SUBJECT] }] }] } }],
    ['not', { when: { all: [{ not: SUBJECT }, { not: { any: [SUBJECT] } }] } }],
    ['not, twice', { when: { all: [{ not: { not: SUBJECT } }] } }],
    ['every message', { when: { all: [{ always: true }] } }],
    ['exact case', { when: { all: [SUBJECT] } }],
    [
      'other fields',
      {
        when: {
          all: [
            { field: 'cc', test: 'is', values: ['x'], case: false, part: 'any' },
            { field: 'header', name: 'X-Y', test: 'exists' } as unknown as Test,
            { field: 'size', test: 'over', values: ['2 MB'] },
            { field: 'received', test: 'on', values: ['2026-05-04'] },
            { field: 'seen', test: 'is', values: [true] },
            { field: 'addressed', test: 'is', values: ['only_me'] },
            { field: 'attachment_type', test: 'contains', values: ['pdf'], case: false },
            { field: 'account', test: 'is', values: ['a@x.example'] },
          ],
        },
      },
    ],
    ['other runs and accounts', { runs: ['arrival', 'hand'], accounts: ['a@x.example'] }],
    ['days that it is for', { active: { from: '2026-08-03', until: '2026-08-17' } }],
    ['a last day', { active: { from: null, until: '2026-08-17' } }],
    [
      'other actions',
      {
        then: [
          { do: 'label', label: 'Permit' },
          { do: 'keep' },
          { do: 'colour', colour: 'plum' },
          { do: 'forward', to: ['a@x.example'] },
        ],
      },
    ],
  ])('gives back a rule with %s, too', (_, change) => {
    const rule = { ...RULE, ...change }
    expect(ruleOf(draftOf(rule))).toEqual(rule)
  })

  it('gives a test without bracket one of its own, which means the same', () => {
    expect(whenOf(draftOf({ ...RULE, when: SUBJECT }))).toEqual({ all: [SUBJECT] })
  })

  it('knows where in the rule each condition stands, leaving out what says nothing', () => {
    const draft = draftOf({ ...RULE, when: { all: [SUBJECT, { not: { any: [SUBJECT] } }] } })
    draft.when.nodes.splice(1, 0, newCondition('body'))
    const [first, empty, bracket] = draft.when.nodes
    const inner = bracket?.kind === 'group' ? bracket.nodes[0] : undefined
    const places = placesOf(draft)
    expect([first, empty, bracket, inner].map((node) => places.get(node?.id ?? 0))).toEqual([
      'when.all[0]',
      undefined,
      'when.all[1]',
      'when.all[1].not.any[0]',
    ])
  })

  it('counts what is being typed, and leaves out what says nothing yet', () => {
    const draft = draftWith(['subject', 'permit'], ['body'], ['from'])
    const last = draft.when.nodes.at(-1)
    if (last?.kind === 'condition') last.typed = ' heron '
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

  it('is named by what people call an address', () => {
    const called = { 'odile@trust.example': 'Odile Marchetti' }
    const draft = { ...draftWith(['from', 'odile@trust.example'], ['subject', 'key']), called }
    expect(proposedName(draft)).toBe('Key, from Odile Marchetti')
  })
})
