/** Facts that were picked, as the *when* of a rule. */
import type { Fact, Test } from '@/api/client'

type Words = Extract<Test, { field: 'subject' }>

function isWords(test: Test): test is Words {
  return 'field' in test && test.field === 'subject'
}

/**
 * All of the picked facts have to hold, single words of the subject each by itself; words that
 * were picked are not alternatives, since they stand in one subject together.
 */
export function whenOfFacts(facts: readonly Fact[]): Test | undefined {
  const conditions = facts.map((fact) => fact.condition)
  const kept = conditions.filter((condition) => !isWords(condition))
  const words = conditions.filter(isWords)
  const all = [...kept, ...words]
  return all.length > 0 ? { all } : undefined
}

/** What people call the values of the picked facts. */
export function calledBy(facts: readonly Fact[]): Record<string, string> {
  return Object.fromEntries(
    facts.flatMap(({ text, called }) => (called ? [[text, called] as const] : [])),
  )
}
