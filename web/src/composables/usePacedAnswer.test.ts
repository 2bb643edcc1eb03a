import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope, nextTick, ref, type EffectScope } from 'vue'

import { usePacedAnswer } from './usePacedAnswer'

describe('an answer at a pace', () => {
  let scope: EffectScope
  const asked = ref(0)
  const mailbox = ref(0)
  const ask = vi.fn(
    () =>
      new Promise<number>((done) =>
        setTimeout(() => {
          done(asked.value)
        }, 100),
      ),
  )

  beforeEach(() => {
    vi.useFakeTimers()
    ask.mockClear()
    scope = effectScope()
    scope.run(() => usePacedAnswer([asked], mailbox, ask))
  })
  afterEach(() => {
    scope.stop()
    vi.useRealTimers()
  })

  async function mailPours(milliseconds: number): Promise<void> {
    for (let passed = 0; passed < milliseconds; passed += 10) {
      mailbox.value += 1
      await vi.advanceTimersByTimeAsync(10)
    }
  }

  it('is asked now and then while mail pours in, and once more when it has ended', async () => {
    await mailPours(2_000)
    expect(ask.mock.calls.length).toBeGreaterThanOrEqual(3)
    expect(ask.mock.calls.length).toBeLessThanOrEqual(5)
    await vi.advanceTimersByTimeAsync(2_000)
    const all = ask.mock.calls.length
    await vi.advanceTimersByTimeAsync(5_000)
    expect(ask).toHaveBeenCalledTimes(all)
  })

  it('is asked at once where the question is another one', async () => {
    await vi.advanceTimersByTimeAsync(150)
    asked.value += 1
    await nextTick()
    expect(ask).toHaveBeenCalledTimes(2)
  })
})
