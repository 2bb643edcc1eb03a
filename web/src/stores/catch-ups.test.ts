import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import type { CatchUpJob } from '@/api/client'

import { useActs } from './acts'
import { useCatchUps } from './catch-ups'
import { useMailbox } from './mailbox'

const REPORT = {
  taken: 0,
  moved: 0,
  out_of_inbox: 0,
  labelled: 0,
  marked: 0,
  unchanged: 0,
  respected: 0,
  left: {},
}

function job(state: string, done: number): CatchUpJob {
  const report = {
    ...REPORT,
    taken: done,
    changed: done,
    moved: done,
    places: {},
    moved_to: {},
    by_rule: {},
  }
  return {
    id: 7,
    state,
    saying: '',
    examined: 5000,
    total: 4000,
    done,
    report,
    run_id: 3,
    problem: '',
  }
}

/** How the catch-up stands, as the server would say it now. */
let now: CatchUpJob
let goingOn: CatchUpJob[]
let looks: number[]

async function serve(request: Request): Promise<Response> {
  const path = new URL(request.url).pathname
  if (path === '/api/catch-ups/7') looks.push(Date.now())
  if (path === '/api/catch-ups/7/stop') now = job('stopped', now.done)
  if (path === '/api/catch-ups' && request.method === 'GET') return Response.json({ jobs: goingOn })
  if (path.startsWith('/api/catch-ups')) return Response.json(now)
  await Promise.resolve()
  return Response.json({ rules: [], folders: [], labels: [], connected: [] })
}

beforeEach(() => {
  setActivePinia(createPinia())
  vi.useFakeTimers()
  vi.stubGlobal('fetch', serve)
  now = job('running', 0)
  goingOn = []
  looks = []
})

afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

async function seconds(passed: number): Promise<void> {
  await vi.advanceTimersByTimeAsync(passed * 1000)
}

describe('a catch-up that goes on', () => {
  it('is looked at soon and then calmly, tells how long it takes, and ends with Undo', async () => {
    const catchUps = useCatchUps()
    void catchUps.start({ rule_ids: [1] }, 'Saved. ')
    const begun = Date.now()
    await seconds(0.2)
    expect(looks[0]).toBeLessThan(begun + 200)
    expect(catchUps.left()).toBeUndefined()
    now = job('running', 1000)
    await seconds(9.8)
    expect(looks.length).toBeLessThan(20)
    expect(catchUps.job?.done).toBe(1000)
    expect(catchUps.left()).toBeGreaterThan(25)
    expect(catchUps.left()).toBeLessThan(35)
    now = job('done', 4000)
    await seconds(2)
    expect(catchUps.job).toBeUndefined()
    expect(useActs().notice).toEqual({ saying: 'Saved. Caught up: 4,000 moved', runId: 3 })
  })

  it('is followed where another tab began it, once, and can be stopped there', async () => {
    const catchUps = useCatchUps()
    goingOn = [now]
    useMailbox().version += 1
    await nextTick()
    useMailbox().version += 1
    await seconds(1)
    expect(catchUps.job?.id).toBe(7)
    now = job('running', 12)
    await catchUps.stop()
    goingOn = []
    await seconds(2)
    expect(useActs().notice?.saying).toBe('Stopped. Caught up: 12 moved')
  })

  it('says that nothing was there to be done, with nothing to undo', async () => {
    now = job('done', 0)
    await useCatchUps().start({ rule_ids: [1] })
    expect(useActs().notice).toEqual({ saying: 'None of the messages here is taken' })
  })

  it('is let go where the server does not answer, and the next one can begin', async () => {
    const catchUps = useCatchUps()
    void catchUps.start({ rule_ids: [1] })
    await seconds(0.05)
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('Failed to fetch')))
    await seconds(2)
    expect([catchUps.job, useActs().notice?.failed]).toEqual([undefined, true])
    vi.stubGlobal('fetch', serve)
    now = job('done', 5)
    await catchUps.start({ rule_ids: [1] })
    expect(useActs().notice?.saying).toBe('Caught up: 5 moved')
  })
})
