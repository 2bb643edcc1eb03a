import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'

import { useLine } from './line'
import { useMailbox } from './mailbox'

let checks: number
let rules: object[]

beforeEach(() => {
  setActivePinia(createPinia())
  vi.useFakeTimers()
  checks = 0
  rules = []
  vi.stubGlobal('fetch', async (request: Request) => {
    await Promise.resolve()
    if (request.url.endsWith('/check')) checks += 1
    return Response.json({ rules, findings: [], broken: [], folders: [], labels: [], undo: null })
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
  const before = checks
  rules = [{ id: 1, rule: { name: 'one' } }]
  await mailbox.refresh()
  await vi.advanceTimersByTimeAsync(1)
  expect(checks).toBe(before + 1)
  await vi.advanceTimersByTimeAsync(1_000)
  const seen = checks
  await mailbox.refresh()
  await vi.advanceTimersByTimeAsync(1)
  expect(checks).toBe(seen)
  await vi.advanceTimersByTimeAsync(1_000)
  expect(checks).toBe(seen + 1)
})
