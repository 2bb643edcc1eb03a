import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'

import { useLine } from './line'
import { useMailbox } from './mailbox'
import { useWorkbench } from './workbench'

let asked: string[]
let rules: object[]

beforeEach(() => {
  setActivePinia(createPinia())
  vi.useFakeTimers()
  asked = []
  rules = []
  vi.stubGlobal('fetch', async (request: Request) => {
    await Promise.resolve()
    if (request.url.includes('/check')) asked.push(new URL(request.url).search)
    const line = { rules, folders: [], labels: [], connected: [], undo: null }
    return Response.json({ ...line, findings: [], broken: [], total: 1, rule_ids: [7] })
  })
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

it('looks at once at a rule that was changed, and waits where only mail came in', async () => {
  const mailbox = useMailbox()
  useLine().watching = true
  await vi.advanceTimersByTimeAsync(1_000)
  const before = asked.length
  rules = [{ id: 1, rule: { name: 'one' } }]
  await mailbox.refresh()
  await vi.advanceTimersByTimeAsync(1)
  expect(asked.length).toBe(before + 1)
  await vi.advanceTimersByTimeAsync(1_000)
  const seen = asked.length
  await mailbox.refresh()
  await vi.advanceTimersByTimeAsync(1)
  expect(asked.length).toBe(seen)
  await vi.advanceTimersByTimeAsync(1_000)
  expect(asked.length).toBe(seen + 1)
})

it('asks for what is found of the open rule where it is told in part', async () => {
  const line = useLine()
  line.watching = true
  await vi.advanceTimersByTimeAsync(1_000)
  expect(line.byRule.get(7)).toEqual(['Open it to see what is found'])
  useWorkbench().ruleId = 7
  await vi.advanceTimersByTimeAsync(1)
  expect(asked.at(-1)).toBe('?rule_id=7')
})
