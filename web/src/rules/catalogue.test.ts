/** Everything that the core offers for rules goes through the editor and comes back unchanged. */
import { describe, expect, it } from 'vitest'

import type { Action, Condition, Rule, Test } from '@/api/client'

import { ACTION_KINDS, doesSaying, freshAction, isComplete, shortSaying } from './actions'
import { ASPECTS, aspectFor, hasCase, testLabel, type Aspect, type TestName } from './conditions'
import { draftOf, ruleOf } from './draft'

const VALUES = { text: ['some', 'other'], size: ['2 MB'], age: ['30 days'], day: ['2026-05-04'] }

function conditionOf(aspect: Aspect, test: TestName): Condition {
  const { field, part, values: kind, choices = [] } = aspect
  const values = kind === 'choice' ? choices.map((choice) => choice.value) : VALUES[kind]
  return {
    field,
    test,
    ...(test === 'exists' ? {} : { values }),
    ...(part ? { part } : {}),
    ...(field === 'header' ? { name: 'X-Tag' } : {}),
    ...(hasCase(aspect, test) ? { case: true } : {}),
  } as Condition
}

function ruleWith(when: Test, then: Action[]): Rule {
  const runs: Rule['runs'] = ['arrival']
  return {
    name: 'r',
    enabled: true,
    runs,
    accounts: [],
    active: null,
    when,
    unless: null,
    then,
    stop: false,
  }
}

const OFFERED = ASPECTS.flatMap((aspect) =>
  aspect.tests.map((test): [string, Aspect, TestName] => [`${aspect.key} ${test}`, aspect, test]),
)

describe('every condition that is offered', () => {
  it.each(OFFERED)('%s comes back from the editor as it was', (_, aspect, test) => {
    const condition = conditionOf(aspect, test)
    const rule = ruleWith({ all: [condition, { not: condition }] }, [{ do: 'flag' }])
    expect(ruleOf(draftOf(rule))).toEqual(rule)
    expect(aspectFor(condition)?.key).toBe(aspect.key)
    expect(testLabel(test, aspect.values)).not.toBe('')
  })

  it('has a key of its own', () => {
    const keys = ASPECTS.map((aspect) => aspect.key)
    expect(new Set(keys).size).toBe(keys.length)
  })
})

describe('every action', () => {
  it.each(ACTION_KINDS.map((kind): [string, Action] => [kind.name, freshAction(kind)]))(
    '%s comes back from the editor as it was, and has words',
    (_, fresh) => {
      const filled = Object.fromEntries(
        Object.entries(fresh).map(([key, value]) => {
          if (Array.isArray(value)) return [key, ['ann@x.example']]
          return [key, value === '' ? 'Some words' : value]
        }),
      ) as Action
      expect(isComplete(filled)).toBe(true)
      const rule = ruleWith({ all: [{ always: true }] }, [filled])
      expect(ruleOf(draftOf(rule))).toEqual(rule)
      expect(shortSaying(filled)).not.toMatch(/[{}]|undefined/)
      expect(doesSaying(rule)).toMatch(/^[A-Z]/)
    },
  )
})
