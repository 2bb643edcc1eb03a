import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import { useLastLook } from './last-look'

const NOW = new Date('2026-05-04T09:30:00Z')

function show(hidden: boolean): void {
  vi.spyOn(document, 'hidden', 'get').mockReturnValue(hidden)
  document.dispatchEvent(new Event('visibilitychange'))
}

describe('the last look', () => {
  beforeEach(() => {
    localStorage.clear()
    setActivePinia(createPinia())
    vi.useFakeTimers({ now: NOW })
  })
  afterEach(() => vi.useRealTimers())

  it('was a day ago where nothing is known of it', () => {
    expect(useLastLook().since).toBe('2026-05-03T09:30:00.000Z')
  })

  it('is when Mnemic was left, for whoever was away for more than an hour', async () => {
    const look = useLastLook()
    const before = look.since
    show(true)
    vi.advanceTimersByTime(59 * 60_000)
    show(false)
    expect(look.since).toBe(before)
    show(true)
    vi.advanceTimersByTime(61 * 60_000)
    show(false)
    expect(look.since).toBe('2026-05-04T10:29:00.000Z')
    await nextTick()
    expect(localStorage.getItem('last-look')).toBe('2026-05-04T10:29:00.000Z')
  })
})
