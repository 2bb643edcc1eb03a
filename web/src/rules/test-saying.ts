/** A test in short words, for the places where it can't be taken apart. */
import type { Test } from '@/api/client'

import { aspectFor, testLabel } from './conditions'

const LONGEST = 60

function conditionSaying(test: Extract<Test, { field: string }>): string {
  const aspect = aspectFor(test)
  const about = aspect?.label ?? test.field.replace('_', ' ')
  const { values } = test as { values?: readonly unknown[] | null }
  return [
    about.toLowerCase(),
    testLabel(test.test, aspect?.values),
    values?.map(String).join(' or '),
  ]
    .filter(Boolean)
    .join(' ')
}

function saying(test: Test): string {
  if ('all' in test) return `(${test.all.map(saying).join(' and ')})`
  if ('any' in test) return `(${test.any.map(saying).join(' or ')})`
  if ('not' in test) return `not ${saying(test.not)}`
  if ('always' in test) return 'every message'
  return conditionSaying(test)
}

export function testSaying(test: Test): string {
  const said = saying(test).replace(/^\((.*)\)$/, '$1')
  return said.length > LONGEST ? `${said.slice(0, LONGEST)}…` : said
}
