/**
 * A long list is laid out some rows in each frame: what is in sight first, and nothing that is
 * pressed waits for the rest (Long Tasks API, W3C: 50 milliseconds).
 */
import { computed, onScopeDispose, ref, toValue, watch, type MaybeRefOrGetter, type Ref } from 'vue'

import { inTurn } from './turns'

const AT_ONCE = 20

export function useLaidOut<T>(rows: MaybeRefOrGetter<readonly T[]>): {
  laid: Readonly<Ref<readonly T[]>>
  /** Whether all rows are there. */
  whole: Readonly<Ref<boolean>>
} {
  const count = ref(AT_ONCE)
  const whole = computed(() => count.value >= toValue(rows).length)
  let takeBack: (() => void) | undefined
  function more(): void {
    count.value += AT_ONCE
    takeBack = whole.value ? undefined : inTurn(more)
  }
  watch(
    whole,
    (now) => {
      if (!now) takeBack ??= inTurn(more)
    },
    { immediate: true },
  )
  onScopeDispose(() => {
    takeBack?.()
  })
  return { laid: computed(() => toValue(rows).slice(0, count.value)), whole }
}
