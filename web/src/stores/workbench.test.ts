import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import type { Rule, StoredRule } from '@/api/client'

import { useMailbox } from './mailbox'
import { useWorkbench } from './workbench'

function stored(id: number, word: string): StoredRule {
  const rule: Rule = {
    name: `Rule ${id}`,
    enabled: true,
    runs: ['arrival'],
    accounts: [],
    active: null,
    when: { all: [{ field: 'subject', test: 'words', values: [word], case: false }] },
    unless: null,
    then: [{ do: 'archive' }],
    stop: false,
  }
  return { id, rule, version: 'a', taken: 0, pins: [] }
}

interface Sent {
  url: string
  body: { anyway?: boolean; rule?: Rule }
  version: string | null
}
let sent: Sent[] = []
let answers: Response[] = []

beforeEach(() => {
  localStorage.clear()
  setActivePinia(createPinia())
  sent = []
  answers = []
  vi.stubGlobal('fetch', async (request: Request) => {
    if (request.method === 'GET')
      return Response.json({ rules: [], folders: [], labels: [], connected: [] })
    const body = (await request.json()) as Sent['body']
    sent.push({ url: request.url, body, version: request.headers.get('If-Match') })
    return answers.shift() ?? Response.json({})
  })
})

const FIRST = stored(1, 'permit')
const SECOND = stored(2, 'offer')

describe('the workbench', () => {
  it('keeps what is not saved for each rule, over a walk and over a reload', async () => {
    const before = useWorkbench()
    before.open(FIRST)
    before.draft.stop = true
    before.open(SECOND)
    expect([before.changed, before.unsaved(1), before.unsaved(2)]).toEqual([false, true, false])
    await nextTick()
    setActivePinia(createPinia()) // as after a reload: only the browser's storage is left
    const after = useWorkbench()
    after.open(FIRST)
    expect([after.draft.stop, after.changed]).toEqual([true, true])
    after.draft.stop = false
    expect([after.changed, after.unsaved(1)]).toEqual([false, false])
  })

  it('puts a new rule aside for another, and takes it up again', () => {
    const workbench = useWorkbench()
    workbench.startFrom(FIRST.rule.when)
    workbench.startFrom(SECOND.rule.when)
    expect(workbench.aside).toBe(true)
    workbench.takeAside()
    expect(JSON.stringify(workbench.draft.when)).toContain('permit')
    workbench.takeAside()
    expect(JSON.stringify(workbench.draft.when)).toContain('offer')
  })

  it('asks about examples that break, and saves anyway only if so told', async () => {
    const broken = {
      type: 'tag:mnemic.example,2026:examples-break',
      title: 'Examples break',
      detail: 'x',
      status: 409,
      errors: [{ path: 'rules[1].examples[7]', message: '“Permit” is not taken' }],
    }
    const done = { run_id: 1, saying: '', rules: [FIRST], changes: [] }
    const workbench = useWorkbench()
    workbench.open(FIRST)
    workbench.draft.stop = true
    answers = [Response.json(broken, { status: 409 })]
    const ask = vi.fn(() => Promise.resolve(false))
    expect(await workbench.save(ask)).toBeUndefined()
    expect(ask).toHaveBeenCalledWith(broken.errors)
    answers = [Response.json(broken, { status: 409 }), Response.json(done)]
    expect(await workbench.save(() => Promise.resolve(true))).toEqual(done)
    expect(sent.map((request) => request.body.anyway)).toEqual([false, false, true])
    expect(workbench.unsaved(1)).toBe(false)
  })

  it('says what changed meanwhile, and saves over it only when it is known', async () => {
    const mailbox = useMailbox()
    const workbench = useWorkbench()
    workbench.open(FIRST)
    workbench.draft.name = 'Mine'
    const theirs = { ...FIRST, version: 'b', rule: { ...FIRST.rule, stop: true } }
    mailbox.line = { rules: [theirs], arrived: 0, stay: 0 }
    await nextTick()
    vi.spyOn(mailbox, 'refresh').mockResolvedValue(undefined)
    const refusal = {
      type: 'tag:mnemic.example,2026:changed-meanwhile',
      title: 'Changed meanwhile',
      detail: 'It stops.',
      status: 412,
      errors: [],
    }
    answers = [Response.json(refusal, { status: 412 })]
    const ask = () => Promise.resolve(true)
    expect(await workbench.save(ask)).toBeUndefined()
    expect(workbench.complaints[0]?.message).toContain('It stops. Save again')
    expect([workbench.draft.name, workbench.changed]).toEqual(['Mine', true])
    answers = [Response.json({ run_id: 1, saying: '', rules: [theirs], changes: [] })]
    await workbench.save(ask)
    expect(sent.map((request) => request.version)).toEqual(['"a"', '"b"'])
  })

  it('says where what the server refused stands', async () => {
    const workbench = useWorkbench()
    workbench.open(FIRST)
    workbench.draft.stop = true
    const errors = [{ path: 'rule.when.all[0].values[0]', message: 'may not be empty' }]
    const problem = { title: 'Not valid', detail: 'x', status: 422, type: 'about:blank', errors }
    answers = [Response.json(problem, { status: 422 })]
    expect(await workbench.save(() => Promise.resolve(true))).toBeUndefined()
    const [node] = workbench.draft.when.nodes
    expect(workbench.complaintsOn(node?.id ?? 0)).toEqual([
      { path: 'when.all[0].values[0]', message: 'may not be empty' },
    ])
  })

  it('follows a rule that was changed elsewhere, unless something would be lost', async () => {
    const mailbox = useMailbox()
    const workbench = useWorkbench()
    workbench.open(FIRST)
    mailbox.line = {
      rules: [{ ...FIRST, rule: { ...FIRST.rule, stop: true } }],
      arrived: 0,
      stay: 0,
    }
    await nextTick()
    expect([workbench.draft.stop, workbench.changed]).toEqual([true, false])
    workbench.draft.name = 'Mine'
    mailbox.line = { rules: [FIRST], arrived: 0, stay: 0 }
    await nextTick()
    expect([workbench.draft.name, workbench.draft.stop]).toEqual(['Mine', true])
  })
})
