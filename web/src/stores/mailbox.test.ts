import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import type { ServerEvent } from '@/api/client'
import type { Listener } from '@/api/events'

import { useMailbox } from './mailbox'

let tell: Listener
vi.mock('@/api/events', () => ({
  listen: (listener: Listener) => {
    tell = listener
    return () => undefined
  },
}))

let looks: number
let slowness: number // milliseconds that the server takes to answer

beforeEach(() => {
  setActivePinia(createPinia())
  vi.useFakeTimers()
  looks = 0
  slowness = 0
  vi.stubGlobal('fetch', async (request: Request) => {
    if (request.url.endsWith('/api/mailbox')) looks += 1
    if (slowness > 0) await new Promise((resolve) => setTimeout(resolve, slowness))
    return Response.json({ rules: [], folders: [], labels: [], connected: [], arrived: 0, stay: 0 })
  })
})

afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

function arrived(count: number, sorted: number): ServerEvent {
  return { type: 'arrived', count, sorted, sounds: [] }
}

/** Mail that comes in ten times a second, for so many seconds. */
async function pouring(seconds: number): Promise<void> {
  for (let step = 0; step < seconds * 10; step += 1) {
    tell(arrived(1, 1))
    await vi.advanceTimersByTimeAsync(100)
  }
}

describe('the mailbox', () => {
  it('follows a burst at a pace, ends up true, and asks a slow server less often', async () => {
    const mailbox = useMailbox()
    mailbox.start()
    await vi.advanceTimersByTimeAsync(100)
    expect([mailbox.ready, looks]).toEqual([true, 1])
    await pouring(3)
    const quick = looks - 1
    expect(quick).toBeGreaterThan(5)
    expect(quick).toBeLessThan(25)
    slowness = 300
    await vi.advanceTimersByTimeAsync(1000) // what happened last is looked at, and then no more
    const settled = looks
    await vi.advanceTimersByTimeAsync(10_000)
    expect(looks).toBe(settled)
    await pouring(3)
    expect(looks - settled).toBeLessThan(quick / 2)
  })

  it('follows a slow server at once where it has rested, and the owner without any rest', async () => {
    slowness = 1000
    const offers = { id: 7, path: 'Offers', look_in_days: 30 }
    const answers = globalThis.fetch
    vi.stubGlobal('fetch', async (request: Request) => {
      const answer = await answers(request)
      if (!request.url.endsWith('/api/mailbox')) return answer
      return Response.json({ ...(await answer.json()), folders: [offers] })
    })
    const mailbox = useMailbox()
    mailbox.start()
    await vi.advanceTimersByTimeAsync(1100)
    void mailbox.lookInto(7)
    await vi.advanceTimersByTimeAsync(1100) // the look is noted
    expect(looks).toBe(2)
    await vi.advanceTimersByTimeAsync(10_000)
    tell(arrived(1, 1))
    await vi.advanceTimersByTimeAsync(200)
    expect(looks).toBe(3)
  })

  it('tells what arrives within a minute as one, and says how much of it was sorted', async () => {
    vi.setSystemTime(new Date(2026, 4, 4, 9, 30))
    const mailbox = useMailbox()
    mailbox.start()
    tell(arrived(1, 0))
    expect(mailbox.arrivedSaying).toMatch(/^arrived .*, no rule took it$/)
    tell(arrived(1, 1))
    expect([mailbox.arrived?.count, mailbox.arrived?.sorted]).toEqual([2, 1])
    expect(mailbox.arrivedSaying).toMatch(/, 1 sorted$/)
    await vi.advanceTimersByTimeAsync(61_000)
    tell(arrived(2, 2))
    expect(mailbox.arrivedSaying).toMatch(/, both sorted$/)
  })

  it('shows no earlier state after a later one, though its answer comes later', async () => {
    const mailbox = useMailbox()
    let undoDays = 1
    const answers: (() => void)[] = []
    vi.stubGlobal('fetch', async () => {
      const answered = { rules: [], folders: [], labels: [], connected: [], undo_days: undoDays }
      await new Promise<void>((resolve) => answers.push(resolve))
      return Response.json(answered)
    })
    const early = mailbox.refresh()
    await vi.advanceTimersByTimeAsync(1)
    undoDays = 2
    const late = mailbox.refresh()
    await vi.advanceTimersByTimeAsync(1)
    for (const answer of answers.slice(2)) answer()
    await late
    for (const answer of answers.slice(0, 2)) answer()
    await early
    expect(mailbox.undoDays).toBe(2)
  })

  it('says when the server does not answer, and is well again when it does', async () => {
    const mailbox = useMailbox()
    const answers = globalThis.fetch
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('Failed to fetch')))
    await mailbox.refresh()
    expect([mailbox.ready, mailbox.failure === '']).toEqual([false, false])
    vi.stubGlobal('fetch', answers)
    await mailbox.refresh()
    expect([mailbox.ready, mailbox.failure]).toEqual([true, ''])
  })
})
