import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope } from 'vue'

import { useFollower, type Follower } from './useFollower'

describe('what follows the server', () => {
  beforeEach(() => void vi.useFakeTimers())
  afterEach(() => void vi.useRealTimers())

  function started(look: (signal: AbortSignal) => Promise<void>): [Follower, () => void] {
    const scope = effectScope()
    const follower = scope.run(() => useFollower(look))
    if (!follower) throw new Error('the scope has ended')
    return [
      follower,
      () => {
        scope.stop()
      },
    ]
  }

  it('asks once for what changes within the pause', async () => {
    const look = vi.fn(() => Promise.resolve())
    const [follower] = started(look)
    follower.soon(100)
    await vi.advanceTimersByTimeAsync(99)
    follower.soon(100)
    await vi.advanceTimersByTimeAsync(99)
    expect(look).not.toHaveBeenCalled()
    expect(follower.waiting.value).toBe(true)
    await vi.advanceTimersByTimeAsync(1)
    expect(look).toHaveBeenCalledOnce()
    expect(follower.waiting.value).toBe(false)
  })

  it('withdraws the question before, whose answer or failure counts no more', async () => {
    const ends: ((failed: boolean) => void)[] = []
    const taken: number[] = []
    const [follower] = started(async (signal) => {
      const mine = ends.length
      await new Promise<void>((resolve, reject) =>
        ends.push((failed) => {
          if (failed) reject(new Error('old'))
          else resolve()
        }),
      )
      if (!signal.aborted) taken.push(mine)
    })
    void follower.now()
    void follower.now()
    ends[0]?.(true)
    await vi.advanceTimersByTimeAsync(0)
    expect([follower.failure.value, follower.looking.value]).toEqual(['', true])
    ends[1]?.(false)
    await vi.advanceTimersByTimeAsync(0)
    expect([taken, follower.looking.value]).toEqual([[1], false])
  })

  it('tells why there is no answer until there is one', async () => {
    let broken = true
    const [follower] = started(() =>
      broken ? Promise.reject(new Error('no answer')) : Promise.resolve(),
    )
    await follower.now()
    expect([follower.failure.value, follower.looking.value]).toEqual(['no answer', false])
    broken = false
    await follower.now()
    expect(follower.failure.value).toBe('')
  })

  it('asks nothing any more once its scope has ended', async () => {
    const signals: AbortSignal[] = []
    const [follower, end] = started((signal) => {
      signals.push(signal)
      return new Promise<void>(() => undefined)
    })
    void follower.now()
    follower.soon(50)
    end()
    await vi.advanceTimersByTimeAsync(100)
    expect(signals.map((signal) => signal.aborted)).toEqual([true])
  })
})
