import { watch, type ShallowRef } from 'vue'

import { useAnswer } from '@/composables/useAnswer'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

/**
 * What the server says of the mailbox, asked again whenever something in it may have changed. Why it
 * says nothing is told in the bar.
 */
export function useMailboxAnswer<Answer>(
  ask: (signal: AbortSignal) => Promise<Answer>,
): ShallowRef<Answer | undefined> {
  const mailbox = useMailbox()
  const acts = useActs()
  const { answer, failure } = useAnswer([() => mailbox.version], ask)
  watch(failure, (said) => {
    if (said) acts.fail(said)
  })
  return answer
}
