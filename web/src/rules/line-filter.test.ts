import { expect, it } from 'vitest'

import type { StoredRule } from '@/api/client'

import { ruleColour } from './colours'
import { fits } from './line-filter'
import { stretches } from './marks'

const STORED: StoredRule = {
  id: 2,
  version: 'a',
  taken: 0,
  pins: [],
  rule: {
    name: 'Mooring permits',
    enabled: false,
    runs: ['arrival'],
    accounts: [],
    active: null,
    when: { always: true },
    unless: null,
    then: [
      { do: 'file', folder: 'Moorings/Permits' },
      { do: 'label', label: 'Permit' },
    ],
    stop: true,
  },
}

it.each<[string, boolean]>([
  ['', true],
  ['mooring', true],
  ['file permits', true],
  ['label off', true],
  ['stops', true],
  ['archive', false],
  ['mooring on', false],
])('the filter “%s” fits: %s', (typed, expected) => {
  expect(fits(STORED, typed)).toBe(expected)
})

it('draws a rule in the colour of its label, else in one that stays its own', () => {
  expect(ruleColour(STORED, new Map([['permit', 'plum']]))).toBe('plum')
  expect(ruleColour(STORED, new Map())).toBe(ruleColour(STORED, new Map([['other', 'moss']])))
})

it('marks what overlaps once, and only where the whole text is the value', () => {
  const text = 'a permit for Heron'
  const piece = { field: 'body', value: text, start: 2, end: 8 }
  const evidence = [
    { ...piece, start: 4, end: 12 },
    piece,
    { ...piece, value: 'else' },
    { ...piece, field: 'subject', start: 0, end: 1 },
  ]
  expect(stretches(text, evidence, 'body')).toEqual([
    { text: 'a ', marked: false },
    { text: 'permit', marked: true },
    { text: ' for', marked: true },
    { text: ' Heron', marked: false },
  ])
})
