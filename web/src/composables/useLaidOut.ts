/**
 * A long list is laid out some rows in each frame: what is in sight first, and nothing that is
 * pressed waits for the rest (Long Tasks API, W3C: 50 milliseconds).
 */
import { useRafFn } from '@vueuse/core'
import { computed, ref, toValue, watch, type MaybeRefOrGetter, type Ref } from 'vue'

const AT_ONCE = 20

export function useLaidOut<T>(rows: MaybeRefOrGetter<readonly T[]>): {
  laid: Readonly<Ref<readonly T[]>>
  /** Whether all rows are there. */
  whole: Readonly<Ref<boolean>>
} {
  const count = ref(AT_ONCE)
  const whole = computed(() => count.value >= toValue(rows).length)
  const { pause, resume } = useRafFn(
    () => {
      if (whole.value) pause()
      else count.value += AT_ONCE
    },
    { immediate: false },
  )
  watch(
    whole,
    (now) => {
      if (!now) resume()
    },
    { immediate: true },
  )
  return { laid: computed(() => toValue(rows).slice(0, count.value)), whole }
}
