/** What a condition can be about, and the tests each offers. A new field adds a row here. */
import type { Condition } from '@/api/client'

export type TestName = Condition['test']

export interface Subject {
  key: string
  label: string
  field: Condition['field']
  part?: 'address' | 'domain' | 'name' | 'tag' | 'any'
  tests: TestName[]
  /** Where values to pick from come from, if anywhere. */
  completes?: { header: 'from' | 'recipient'; part: 'address' | 'domain' }
  placeholder: string
  /** The only values there are. */
  choices?: readonly { value: string; label: string }[]
}

function choices(...values: string[]): { value: string; label: string }[] {
  return values.map((value) => ({ value, label: value.replace('_', ' ') }))
}

const ADDRESS_TESTS: TestName[] = ['contains', 'is', 'begins', 'ends']
const TEXT_TESTS: TestName[] = ['words', 'contains', 'is', 'begins', 'ends']

export const SUBJECTS: readonly Subject[] = [
  {
    key: 'from',
    label: 'Sender',
    field: 'from',
    part: 'address',
    tests: ADDRESS_TESTS,
    completes: { header: 'from', part: 'address' },
    placeholder: 'name@domain',
  },
  {
    key: 'from-domain',
    label: 'Sender’s domain',
    field: 'from',
    part: 'domain',
    tests: ['under', 'is', 'contains', 'ends'],
    completes: { header: 'from', part: 'domain' },
    placeholder: 'domain',
  },
  {
    key: 'from-name',
    label: 'Sender’s name',
    field: 'from',
    part: 'name',
    tests: ['contains', 'words', 'is'],
    placeholder: 'a name',
  },
  {
    key: 'recipient',
    label: 'Recipient',
    field: 'recipient',
    part: 'address',
    tests: ADDRESS_TESTS,
    completes: { header: 'recipient', part: 'address' },
    placeholder: 'the address it came to',
  },
  {
    key: 'subject',
    label: 'Subject',
    field: 'subject',
    tests: TEXT_TESTS,
    placeholder: 'a word or phrase',
  },
  {
    key: 'body',
    label: 'Body',
    field: 'body',
    tests: ['words', 'contains'],
    placeholder: 'a word or phrase',
  },
  {
    key: 'text',
    label: 'Subject or body',
    field: 'text',
    tests: ['words', 'contains'],
    placeholder: 'a word or phrase',
  },
  {
    key: 'from-any',
    label: 'Sender’s name or address',
    field: 'from',
    part: 'any',
    tests: ADDRESS_TESTS,
    placeholder: 'a name or an address',
  },
  {
    key: 'recipient-any',
    label: 'Recipient’s name or address',
    field: 'recipient',
    part: 'any',
    tests: ADDRESS_TESTS,
    placeholder: 'a name or an address',
  },
  {
    key: 'recipient-tag',
    label: 'Recipient’s +tag',
    field: 'recipient',
    part: 'tag',
    tests: ['is', 'contains'],
    placeholder: 'what stands after the +',
  },
  {
    key: 'kind',
    label: 'Kind',
    field: 'kind',
    tests: ['is'],
    placeholder: 'a kind of mail',
    choices: choices(
      'personal',
      'newsletter',
      'discussion',
      'notification',
      'invitation',
      'auto_reply',
      'bounce',
    ),
  },
  {
    key: 'list',
    label: 'List',
    field: 'list',
    tests: ['is', 'contains'],
    placeholder: 'a list’s identifier',
  },
  {
    key: 'attachment',
    label: 'Attachment’s name',
    field: 'attachment',
    tests: ['contains', 'is', 'ends', 'begins'],
    placeholder: 'a file’s name',
  },
  {
    key: 'contact',
    label: 'Sender is',
    field: 'contact',
    tests: ['is'],
    placeholder: 'known or not',
    choices: [
      { value: 'known', label: 'in the address book' },
      { value: 'unknown', label: 'not in the address book' },
      { value: 'first', label: 'writing for the first time' },
    ],
  },
  {
    key: 'priority',
    label: 'Importance',
    field: 'priority',
    tests: ['is'],
    placeholder: 'as its writer set it',
    choices: choices('high', 'normal', 'low'),
  },
  {
    key: 'folder',
    label: 'Folder',
    field: 'folder',
    tests: ['is'],
    placeholder: 'a folder’s path',
  },
  { key: 'label', label: 'Label', field: 'label', tests: ['is'], placeholder: 'a label’s name' },
]

const TEST_LABELS: Partial<Record<TestName, string>> = {
  is: 'is',
  contains: 'contains',
  words: 'has the words',
  begins: 'begins with',
  ends: 'ends with',
  under: 'is or is below',
}

export function testLabel(test: TestName): string {
  return TEST_LABELS[test] ?? test
}

export function subjectOf(key: string): Subject {
  const found = SUBJECTS.find((each) => each.key === key)
  if (!found) throw new Error(`no subject of conditions is called ${key}`)
  return found
}

/** The subject that a condition of a rule is about, if this screen has it. */
export function subjectFor(condition: Condition): Subject | undefined {
  const part = 'part' in condition ? condition.part : undefined
  return SUBJECTS.find(
    (each) =>
      each.field === condition.field && each.part === part && each.tests.includes(condition.test),
  )
}
