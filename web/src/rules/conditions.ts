/** What a condition can be about, and the tests each offers. A new field adds a row here. */
import type { Condition } from '@/api/client'

export type TestName = Condition['test']
export type Field = Condition['field']
export type Part = 'address' | 'domain' | 'local' | 'user' | 'tag' | 'name' | 'any'

/** How values are typed or picked. */
export type ValueKind = 'text' | 'choice' | 'size' | 'day' | 'age'

export interface Subject {
  key: string
  label: string
  /** Under what it stands in the list. */
  group: string
  field: Field
  part?: Part
  tests: readonly TestName[]
  values: ValueKind
  /** Where values to pick from come from, if anywhere. */
  completes?:
    { header: 'from' | 'recipient'; part: 'address' | 'domain' } | 'folder' | 'label' | 'account'
  placeholder: string
  /** The only values there are. */
  choices?: readonly { value: string; label: string }[]
}

const TEXTS: readonly TestName[] = [
  'contains',
  'words',
  'is',
  'begins',
  'ends',
  'wildcard',
  'regex',
]
const WORDS_FIRST: readonly TestName[] = ['words', ...TEXTS.filter((test) => test !== 'words')]
const DOMAINS: readonly TestName[] = ['under', 'is', ...TEXTS.filter((test) => test !== 'is')]

function choices(...values: string[]): { value: string; label: string }[] {
  return values.map((value) => ({ value, label: value }))
}

const PEOPLE: readonly [Field, string, string][] = [
  ['from', 'Sender', 'Sender’s'],
  ['recipient', 'Recipient', 'Recipient’s'],
  ['to', 'To', 'To:'],
  ['cc', 'Copy to', 'Copy to:'],
  ['bcc', 'Blind copy to', 'Blind copy to:'],
  ['reply_to', 'Reply-To', 'Reply-To:'],
  ['sender', 'Sender field', 'Sender field:'],
]

const PARTS: readonly [Part, string, string][] = [
  ['address', '', 'name@domain'],
  ['domain', 'domain', 'domain'],
  ['name', 'name', 'a name'],
  ['any', 'name or address', 'a name or an address'],
  ['local', 'part before the @', 'what stands before the @'],
  ['user', 'part before the +', 'what stands before the + or @'],
  ['tag', '+tag', 'what stands after the +'],
]

/** The usual ones keep short keys; the others are named by field and part. */
function peopleKey(field: Field, part: Part): string {
  return part === 'address' ? field : `${field}-${part}`
}

function peopleSubjects(): Subject[] {
  return PEOPLE.flatMap(([field, alone, whose]) =>
    PARTS.map(([part, piece, placeholder]): Subject => {
      const completed = part === 'address' || part === 'domain' ? part : undefined
      const header = field === 'from' ? 'from' : 'recipient'
      return {
        key: peopleKey(field, part),
        label: piece ? `${whose} ${piece}` : alone,
        group: alone,
        field,
        part,
        tests: part === 'domain' ? DOMAINS : part === 'name' ? WORDS_FIRST : TEXTS,
        values: 'text',
        ...(completed ? { completes: { header, part: completed } } : {}),
        placeholder: field === 'recipient' && !piece ? 'the address it came to' : placeholder,
      }
    }),
  )
}

function text(key: string, label: string, field: Field, tests: readonly TestName[]): Subject {
  const placeholder = 'a word or phrase'
  return { key, label, group: 'Text', field, tests, values: 'text', placeholder }
}

function choice(
  key: string,
  label: string,
  group: string,
  field: Field,
  found: readonly { value: string; label: string }[],
): Subject {
  const placeholder = 'pick'
  return { key, label, group, field, tests: ['is'], values: 'choice', placeholder, choices: found }
}

function place(field: 'folder' | 'label' | 'account', label: string, placeholder: string): Subject {
  return {
    key: field,
    label,
    group: 'State',
    field,
    tests: ['is'],
    values: 'text',
    completes: field,
    placeholder,
  }
}

function measure(field: Field, label: string, values: ValueKind, placeholder: string): Subject {
  const tests: TestName[] = values === 'day' ? ['before', 'after', 'on'] : ['over', 'under']
  return { key: field, label, group: 'Size and time', field, tests, values, placeholder }
}

/** Besides fields: every message, whatever it holds. */
export const ALWAYS = 'always'

const PEOPLE_SUBJECTS = peopleSubjects()
const USUAL = ['from', 'from-domain', 'recipient']

export const SUBJECTS: readonly Subject[] = [
  ...USUAL.flatMap((key) => PEOPLE_SUBJECTS.filter((each) => each.key === key)).map((each) => ({
    ...each,
    group: 'Usual',
  })),
  { ...text('subject', 'Subject', 'subject', WORDS_FIRST), group: 'Usual' },
  { ...text('body', 'Body', 'body', WORDS_FIRST), group: 'Usual' },
  { ...text('text', 'Subject or body', 'text', WORDS_FIRST), group: 'Usual' },
  {
    ...choice('kind', 'Kind', 'Usual', 'kind', [
      { value: 'personal', label: 'personal' },
      { value: 'newsletter', label: 'newsletter' },
      { value: 'discussion', label: 'discussion list' },
      { value: 'notification', label: 'automatic notification' },
      { value: 'invitation', label: 'invitation' },
      { value: 'auto_reply', label: 'automatic answer' },
      { value: 'bounce', label: 'bounce' },
    ]),
  },
  {
    ...text('has-attachment', 'Has an attachment', 'attachment', ['exists']),
    group: 'Usual',
  },
  {
    ...text('attachment', 'Attachment’s name', 'attachment', [...TEXTS]),
    group: 'More',
    placeholder: 'a file’s name',
  },
  {
    ...text('attachment_type', 'Attachment’s type', 'attachment_type', [
      'is',
      'contains',
      'begins',
      ...TEXTS.slice(4),
    ]),
    group: 'More',
    placeholder: 'application/pdf',
  },
  {
    ...text('list', 'List', 'list', ['is', 'exists', 'contains', ...TEXTS.slice(3)]),
    group: 'More',
    placeholder: 'a list’s identifier',
  },
  {
    ...text('header', 'Header field', 'header', ['contains', 'exists', ...TEXTS.slice(1)]),
    group: 'More',
    placeholder: 'its value',
  },
  choice('contact', 'Sender is', 'More', 'contact', [
    { value: 'known', label: 'in the address book' },
    { value: 'unknown', label: 'not in the address book' },
    { value: 'first', label: 'writing for the first time' },
  ]),
  choice('addressed', 'Addressed', 'More', 'addressed', [
    { value: 'only_me', label: 'to me alone' },
    { value: 'to_me', label: 'to me' },
    { value: 'cc_me', label: 'to me as a copy' },
    { value: 'not_me', label: 'not to me by name' },
  ]),
  choice('priority', 'Importance', 'More', 'priority', choices('high', 'normal', 'low')),
  measure('size', 'Size', 'size', '2 MB'),
  measure('age', 'Age', 'age', '30 days'),
  measure('received', 'Received', 'day', 'a day'),
  measure('sent', 'Sent', 'day', 'a day'),
  place('folder', 'Folder', 'a folder’s path'),
  place('label', 'Label', 'a label’s name'),
  place('account', 'Account', 'its address'),
  choice('seen', 'Read', 'State', 'seen', [
    { value: 'true', label: 'read' },
    { value: 'false', label: 'unread' },
  ]),
  choice('flagged', 'Flag', 'State', 'flagged', [
    { value: 'true', label: 'flagged' },
    { value: 'false', label: 'not flagged' },
  ]),
  ...PEOPLE_SUBJECTS.filter((each) => !USUAL.includes(each.key)),
]

export const SUBJECT_GROUPS: readonly { label: string; subjects: readonly Subject[] }[] = [
  ...new Set(SUBJECTS.map((each) => each.group)),
].map((label) => ({ label, subjects: SUBJECTS.filter((each) => each.group === label) }))

const TEST_LABELS: Partial<Record<TestName, string>> = {
  is: 'is',
  contains: 'contains',
  words: 'has the words',
  begins: 'begins with',
  ends: 'ends with',
  under: 'is or is below',
  wildcard: 'matches * and ?',
  regex: 'matches pattern',
  exists: 'is there',
  over: 'is over',
  before: 'before',
  after: 'after',
  on: 'on',
}

export function testLabel(test: TestName, subject?: Subject): string {
  if (test === 'under' && subject && subject.values !== 'text') return 'is under'
  return TEST_LABELS[test] ?? test
}

export function subjectOf(key: string): Subject {
  const found = SUBJECTS.find((each) => each.key === key)
  if (!found) throw new Error(`no subject of conditions is called ${key}`)
  return found
}

/** Texts can be compared with exact case; what is picked or measured can't. */
export function hasCase(subject: Subject, test: TestName): boolean {
  return subject.values === 'text' && subject.group !== 'State' && test !== 'exists'
}

/** The subject that a condition of a rule is about. */
export function subjectFor(condition: Condition): Subject | undefined {
  const part = 'part' in condition ? condition.part : undefined
  return SUBJECTS.find(
    (each) =>
      each.field === condition.field && each.part === part && each.tests.includes(condition.test),
  )
}
