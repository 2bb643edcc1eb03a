import { shallowRef, watch, type Ref, type ShallowRef, type WatchSource } from 'vue'

import { useFollower } from '@/composables/useFollower'

/**
 * The newest answer to a question, which is asked at once and again whenever a source changes,
 * after the screen has followed. An answer stays until there is a newer one.
 */
export function useAnswer<Answer>(
  sources: readonly WatchSource[],
  ask: (signal: AbortSignal) => Promise<Answer>,
): { answer: ShallowRef<Answer | undefined>; failure: Readonly<Ref<string>> } {
  const answer = shallowRef<Answer>()
  const { now, failure } = useFollower(async (signal) => {
    const given = await ask(signal)
    if (!signal.aborted) answer.value = given
  })
  watch([...sources], () => void now(), { immediate: true, flush: 'post' })
  return { answer, failure }
}
