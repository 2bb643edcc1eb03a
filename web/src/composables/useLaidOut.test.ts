import { describe, expect, it, vi } from 'vitest'
import { effectScope, ref } from 'vue'

import { useLaidOut } from './useLaidOut'

describe('a long list', () => {
  it('is laid out frame by frame, and goes on where rows come', async () => {
    const rows = ref(Array.from({ length: 45 }, (_, at) => at))
    const scope = effectScope()
    const list = scope.run(() => useLaidOut(rows))
    expect([list?.laid.value.length, list?.whole.value]).toEqual([20, false])
    await vi.waitFor(() => {
      expect(list?.whole.value).toBe(true)
    })
    expect(list?.laid.value).toEqual(rows.value)
    rows.value = Array.from({ length: 90 }, (_, at) => at)
    expect(list?.whole.value).toBe(false)
    await vi.waitFor(() => {
      expect(list?.laid.value).toEqual(rows.value)
    })
    scope.stop()
  })

  it('that is short is there at once', () => {
    const list = effectScope().run(() => useLaidOut([1, 2]))
    expect([list?.laid.value, list?.whole.value]).toEqual([[1, 2], true])
  })
})
