/** Parts of a view that are made one after the other, a frame each: the first is painted at once. */
import { onScopeDispose, ref, type Ref } from 'vue'

import { inTurn } from './turns'

/** How many frames have passed, up to as many as there are parts besides the first. */
export function useFrames(most: number): Readonly<Ref<number>> {
  const passed = ref(0)
  let takeBack = inTurn(next)
  function next(): void {
    passed.value += 1
    if (passed.value < most) takeBack = inTurn(next)
  }
  onScopeDispose(() => {
    takeBack()
  })
  return passed
}
