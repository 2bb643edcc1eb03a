import { describe, expect, it } from 'vitest'
import { effectScope, nextTick, ref } from 'vue'

import { useAnswer } from './useAnswer'

describe('an answer', () => {
  it('is that to the newest question, in whatever order they are answered', async () => {
    const asked = ref('first')
    const waiting = new Map<string, (given: string) => void>()
    const scope = effectScope()
    const followed = scope.run(() =>
      useAnswer([asked], () => {
        const question = asked.value
        return new Promise<string>((resolve) => waiting.set(question, resolve))
      }),
    )
    asked.value = 'second'
    await nextTick()
    waiting.get('second')?.('of the second')
    waiting.get('first')?.('of the first')
    await nextTick()
    await nextTick()
    expect(followed?.answer.value).toBe('of the second')
    scope.stop()
  })
})
