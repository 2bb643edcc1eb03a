/** What a condition can be about, and the tests each offers: from the core's catalogue. */
import type { Condition } from '@/api/client'

import { CATALOGUE } from './catalogue'

export type TestName = Condition['test']
export type Field = Condition['field']

/** How values are typed or picked. */
export type ValueKind = keyof typeof CATALOGUE.testLabels

/** A field, or a part of one, as it is listed. */
export interface Aspect {
  key: string
  label: string
  /** Under what it stands in the list. */
  group: (typeof CATALOGUE.groups)[number]
  field: Field
  part?: string
  tests: readonly TestName[]
  values: ValueKind
  /** Where values to pick from come from, if anywhere. */
  completes?:
    { header: 'from' | 'recipient'; part: 'address' | 'domain' } | 'folder' | 'label' | 'account'
  placeholder: string
  /** The only values there are. */
  choices?: readonly { value: string | boolean; label: string }[]
}

/** What is known of each field: none can be missing, none can be too many. */
const FIELDS = CATALOGUE.fields satisfies Record<
  Field,
  { hasCase: boolean; aspects: readonly Omit<Aspect, 'field'>[] }
>

/** Besides fields: every message, whatever it holds. */
export const ALWAYS = 'always'

export const ASPECTS: readonly Aspect[] = (Object.keys(FIELDS) as Field[]).flatMap((field) =>
  FIELDS[field].aspects.map((aspect) => ({ ...aspect, field })),
)

export const ASPECT_GROUPS: readonly { label: string; aspects: readonly Aspect[] }[] =
  CATALOGUE.groups.map((label) => ({
    label,
    aspects: ASPECTS.filter((aspect) => aspect.group === label),
  }))

export function testLabel(test: TestName, values: ValueKind = 'text'): string {
  const labels: Partial<Record<TestName, string>> = CATALOGUE.testLabels[values]
  return labels[test] ?? test
}

export function aspectOf(key: string): Aspect {
  const named = ASPECTS.find((aspect) => aspect.key === key)
  if (!named) throw new Error(`nothing that conditions can be about is called ${key}`)
  return named
}

/** Texts can be compared with exact case, where there is a text to compare. */
export function hasCase(aspect: Aspect, test: TestName): boolean {
  return FIELDS[aspect.field].hasCase && test !== 'exists'
}

/** What a condition of a rule is about. */
export function aspectFor(condition: Condition): Aspect | undefined {
  const part = 'part' in condition ? condition.part : undefined
  return ASPECTS.find(
    (aspect) =>
      aspect.field === condition.field &&
      aspect.part === part &&
      aspect.tests.includes(condition.test),
  )
}
