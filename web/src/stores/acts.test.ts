import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { useActs } from './acts'

vi.mock('@/api/events', () => ({ listen: () => () => undefined }))

const BY_SENDER = { field: 'from', test: 'is', values: ['desk@ferry.example'] }

/** How long the server takes for each address, in milliseconds, and what a rule is offered for. */
let slowness: Record<string, number>
let then: object

function answer(address: string): unknown {
  if (address === '/api/changes') return { run_id: 5, saying: '1 message moved to Ferry' }
  if (address === '/api/offers')
    return { proposal: { did: 3, rule: { when: BY_SENDER, then: [then] } } }
  return { rules: [], folders: [], labels: [], connected: [], arrived: 0, stay: 0 }
}

beforeEach(() => {
  setActivePinia(createPinia())
  vi.useFakeTimers()
  slowness = {}
  then = { do: 'file', folder: 'Ferry' }
  vi.stubGlobal('fetch', async (request: Request) => {
    const address = new URL(request.url).pathname
    await new Promise((resolve) => setTimeout(resolve, slowness[address] ?? 0))
    return Response.json(answer(address))
  })
})

afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

describe('a rule that is offered after an act by hand', () => {
  it.each([
    { slow: '/api/mailbox', note: '1 message moved to Ferry' },
    { slow: '/api/offers', note: '1 message moved to Ferry' },
    { slow: '/api/offers', note: '', dismissed: true },
  ])('stands, whichever answer comes last: $slow', async ({ slow, note, dismissed = false }) => {
    slowness[slow] = 500
    const acts = useActs()
    void acts.act({ ids: [1] }, { do: { do: 'file', folder: 'Ferry' } })
    await vi.advanceTimersByTimeAsync(250)
    if (dismissed) acts.dismiss()
    await vi.advanceTimersByTimeAsync(2000)
    expect(acts.notice?.saying).toBe(note)
    expect(acts.notice?.offer?.saying).toBe('You have filed 3 from desk@ferry.example in Ferry')
  })

  it.each([
    [{ do: 'label', label: 'Boats' }, 'You have labelled 3 from desk@ferry.example “Boats”'],
    [{ do: 'trash' }, 'You have put 3 from desk@ferry.example in the trash'],
    [{ do: 'archive' }, 'You have archived 3 from desk@ferry.example'],
    [{ do: 'read' }, 'You have marked 3 from desk@ferry.example as read'],
    [{ do: 'flag' }, 'You have flagged 3 from desk@ferry.example'],
  ])('says what was done: %j', async (action, saying) => {
    then = action
    const acts = useActs()
    void acts.act({ ids: [1] }, { do: { do: 'archive' } })
    await vi.advanceTimersByTimeAsync(100)
    expect(acts.notice?.offer?.saying).toBe(saying)
  })
})
