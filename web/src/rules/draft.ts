/** A rule while it is written: from a rule and back to one, without loss. */
import type { Action, Condition, Rule, Test } from '@/api/client'

import { subjectFor, subjectOf, type TestName } from './conditions'
import { testSaying } from './test-saying'

export type Bracket = 'all' | 'any'

export interface DraftCondition {
  /** Tells rows apart while they are added and removed. */
  id: number
  subject: string
  test: TestName
  values: string[]
  /** What is being typed and not yet taken as a value; it counts in the rehearsal. */
  typed: string
  /** A test that this screen can't take apart yet: it is kept as it is. */
  kept?: Test
}

export interface Draft {
  name: string
  /** The name follows the contents until the person types one. */
  named: boolean
  enabled: boolean
  bracket: Bracket
  conditions: DraftCondition[]
  folder: string
  labels: string[]
  stop: boolean
}

let lastId = 0

export function newCondition(subject = 'from'): DraftCondition {
  lastId += 1
  const test = subjectOf(subject).tests[0] ?? 'contains'
  return { id: lastId, subject, test, values: [], typed: '' }
}

export function newDraft(): Draft {
  return {
    name: '',
    named: false,
    enabled: true,
    bracket: 'all',
    conditions: [newCondition()],
    folder: '',
    labels: [],
    stop: false,
  }
}

function isCondition(test: Test): test is Condition {
  return 'field' in test
}

/** The conditions of a bracket that holds nothing else, or undefined. */
function flat(tests: Test[]): Condition[] | undefined {
  const conditions = tests.filter(isCondition)
  return conditions.length === tests.length ? conditions : undefined
}

function draftCondition(condition: Condition): DraftCondition | undefined {
  const subject = subjectFor(condition)
  const { values } = condition as { values?: readonly unknown[] | null }
  const exact = 'case' in condition && condition.case
  if (!subject || exact || !values) return undefined
  return {
    ...newCondition(subject.key),
    test: condition.test,
    values: values.map(String),
  }
}

/** The outermost bracket of a *when*: what can't be taken apart is kept whole, as one row. */
export function bracketOf(when: Test): Pick<Draft, 'bracket' | 'conditions'> {
  const tests = 'all' in when ? when.all : 'any' in when ? when.any : [when]
  return {
    bracket: 'any' in when ? 'any' : 'all',
    conditions: tests.map((test) => {
      const condition = isCondition(test) ? draftCondition(test) : undefined
      return condition ?? { ...newCondition(), kept: test }
    }),
  }
}

/** The draft of a saved rule, or undefined where the rule has parts this screen can't show yet. */
export function draftOf(rule: Rule): Draft | undefined {
  const { when } = rule
  const bracket: Bracket = 'any' in when ? 'any' : 'all'
  const tests = 'all' in when ? when.all : 'any' in when ? when.any : [when]
  const conditions = flat(tests)?.map(draftCondition)
  const plain = rule.unless === null && rule.accounts.length === 0 && rule.runs.join() === 'arrival'
  if (!plain || !conditions?.every((each) => each !== undefined)) return undefined
  if (rule.then.some((action) => action.do !== 'file' && action.do !== 'label')) return undefined
  return {
    name: rule.name,
    named: true,
    enabled: rule.enabled,
    bracket,
    conditions,
    folder: rule.then.find((action) => action.do === 'file')?.folder ?? '',
    labels: rule.then.flatMap((action) => (action.do === 'label' ? [action.label] : [])),
    stop: rule.stop,
  }
}

export function valuesOf(condition: DraftCondition): string[] {
  if (condition.kept) return [testSaying(condition.kept)]
  const typed = condition.typed.trim()
  return typed && !condition.values.includes(typed)
    ? [...condition.values, typed]
    : condition.values
}

/** The conditions that say something already, with their place among the rows. */
export function saidConditions(draft: Draft): { row: number; condition: DraftCondition }[] {
  return draft.conditions.flatMap((condition, row) =>
    valuesOf(condition).length > 0 ? [{ row, condition }] : [],
  )
}

function conditionOf(draft: DraftCondition): Test {
  if (draft.kept) return draft.kept
  const { field, part, choices } = subjectOf(draft.subject)
  const plain = { field, test: draft.test, values: valuesOf(draft) }
  const hasCase = !choices && field !== 'folder' && field !== 'label'
  const condition = hasCase ? { ...plain, case: false } : plain
  return (part ? { ...condition, part } : condition) as Condition
}

/** Which mail the draft takes, as far as it says; undefined while it says nothing. */
export function whenOf(draft: Draft): Test | undefined {
  const conditions = saidConditions(draft).map(({ condition }) => conditionOf(condition))
  if (conditions.length === 0) return undefined
  return draft.bracket === 'all' ? { all: conditions } : { any: conditions }
}

export function thenOf(draft: Draft): Action[] {
  const folder = draft.folder.trim()
  return [
    ...(folder ? [{ do: 'file' as const, folder }] : []),
    ...draft.labels.map((label) => ({ do: 'label' as const, label })),
  ]
}

const NAMED_VALUES = 2

function inWords(values: string[]): string {
  const named = values.slice(0, NAMED_VALUES).join(' or ')
  return values.length > NAMED_VALUES ? `${named} …` : named
}

/** A name that says what the rule is for: "Permit or licence, to moorings@…". */
export function proposedName(draft: Draft): string {
  const parts = saidConditions(draft).map(({ condition }) => {
    const values = inWords(valuesOf(condition))
    if (condition.kept) return values
    if (condition.subject === 'recipient') return `to ${values}`
    return condition.subject.startsWith('from') ? `from ${values}` : values
  })
  const words = parts.filter((part) => !/^(to|from) /.test(part))
  const people = parts.filter((part) => /^(to|from) /.test(part))
  const name = [words.join(', '), people.join(', ')].filter(Boolean).join(', ')
  if (!name) return draft.folder.split('/').at(-1)?.trim() ?? ''
  return name.charAt(0).toUpperCase() + name.slice(1)
}

export function nameOf(draft: Draft): string {
  return draft.named ? draft.name : proposedName(draft)
}

/** The rule that the draft says, ready to be saved; undefined while it has no condition. */
export function ruleOf(draft: Draft): Rule | undefined {
  const when = whenOf(draft)
  if (!when) return undefined
  return {
    name: nameOf(draft),
    enabled: draft.enabled,
    runs: ['arrival'],
    accounts: [],
    when,
    unless: null,
    then: thenOf(draft),
    stop: draft.stop,
  }
}
