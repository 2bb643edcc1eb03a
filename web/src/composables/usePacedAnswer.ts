import { shallowRef, watch, type Ref, type ShallowRef, type WatchSource } from 'vue'

import { useFollower } from '@/composables/useFollower'

/** How often it is asked again, at most: the server has this many times as long for other things. */
const REST = 4

/**
 * The newest answer to a question that may take long. It is asked at once, again at once when what is
 * asked changes, and at a pace when only the mailbox has: mail may pour in.
 */
export function usePacedAnswer<Answer>(
  asked: readonly WatchSource[],
  mailbox: WatchSource,
  ask: (signal: AbortSignal) => Promise<Answer>,
): { answer: ShallowRef<Answer | undefined>; failure: Readonly<Ref<string>> } {
  const answer = shallowRef<Answer>()
  const { now, soon, looking, waiting, failure, took } = useFollower(async (signal) => {
    const given = await ask(signal)
    if (!signal.aborted) answer.value = given
  })
  let stale = false // something changed while it was asked
  watch([...asked], () => void now(), { flush: 'post' })
  watch(mailbox, () => {
    stale = looking.value
    if (!stale && !waiting.value) soon(took() * REST)
  })
  watch(looking, (looks) => {
    if (looks || !stale) return
    stale = false
    soon(took() * REST)
  })
  void now()
  return { answer, failure }
}
