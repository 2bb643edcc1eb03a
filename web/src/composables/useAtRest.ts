/** What is told by ear once it has come to rest: not at every key. */
import { refDebounced } from '@vueuse/core'
import { computed, type Ref } from 'vue'

const REST = 1000 // milliseconds without a change

export function useAtRest(saying: () => string): Readonly<Ref<string>> {
  return refDebounced(computed(saying), REST)
}
