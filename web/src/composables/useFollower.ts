/**
 * Follows something on the server: it is asked soon, one question at a time. A newer question
 * withdraws the one before, so that only the newest answer counts.
 */
import { tryOnScopeDispose, useTimeoutFn } from '@vueuse/core'
import { readonly, ref, type Ref } from 'vue'

export interface Follower {
  /** Ask at once. */
  now: () => Promise<void>
  /** Ask after so many milliseconds; what waited to be asked is forgotten. */
  soon: (pause: number) => void
  /** Let go of what is asked, and of what waits to be. */
  withdraw: () => void
  /** A question is under way. */
  looking: Readonly<Ref<boolean>>
  /** A question waits to be asked. */
  waiting: Readonly<Ref<boolean>>
  /** Why the last question had no answer; empty where it had one. */
  failure: Readonly<Ref<string>>
  /** Milliseconds that the last answer took. */
  took: () => number
}

/** `look` asks, and takes the answer in; it may not do so once its signal is aborted. */
export function useFollower(look: (signal: AbortSignal) => Promise<void>): Follower {
  const pause = ref(0)
  const looking = ref(false)
  const failure = ref('')
  let asked: AbortController | undefined
  let took = 0

  async function now(): Promise<void> {
    stop()
    asked?.abort()
    const mine = new AbortController()
    asked = mine
    looking.value = true
    const begun = performance.now()
    let sentence = ''
    try {
      await look(mine.signal)
    } catch (error) {
      sentence = error instanceof Error ? error.message : String(error)
    }
    if (mine.signal.aborted) return
    failure.value = sentence
    looking.value = false
    took = performance.now() - begun
  }

  const { start, stop, isPending } = useTimeoutFn(() => void now(), pause, { immediate: false })

  function soon(after: number): void {
    pause.value = after
    start()
  }

  function withdraw(): void {
    stop()
    asked?.abort()
    looking.value = false
  }
  tryOnScopeDispose(withdraw)

  return {
    now,
    soon,
    withdraw,
    looking: readonly(looking),
    waiting: isPending,
    failure: readonly(failure),
    took: () => took,
  }
}
