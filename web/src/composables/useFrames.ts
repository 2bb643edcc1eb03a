/** Parts of a view that are made one after the other, a frame each: the first is painted at once. */
import { useRafFn } from '@vueuse/core'
import { ref, type Ref } from 'vue'

/** How many frames have passed, up to as many as there are parts besides the first. */
export function useFrames(most: number): Readonly<Ref<number>> {
  const passed = ref(0)
  const { pause } = useRafFn(() => {
    passed.value += 1
    if (passed.value >= most) pause()
  })
  return passed
}
