/** The rehearsal of a draft: it follows every keystroke, and only the newest answer counts. */
import {
  onScopeDispose,
  readonly,
  ref,
  shallowReadonly,
  shallowRef,
  toValue,
  watch,
  type MaybeRefOrGetter,
} from 'vue'

import { api, content, type Rehearsal, type Test } from '@/api/client'
import { isComplete } from '@/rules/actions'
import { thenOf, unlessOf, whenOf, type Draft } from '@/rules/draft'

const PAUSE = 120 // milliseconds without a keystroke

export function useRehearsal(
  draft: MaybeRefOrGetter<Draft | undefined>,
  fixed: MaybeRefOrGetter<Test | undefined>,
  version: MaybeRefOrGetter<number>,
  /** The saved rule that it is: those above it come first. */
  ruleId?: MaybeRefOrGetter<number | undefined>,
) {
  const rehearsal = shallowRef<Rehearsal>()
  const failure = ref('')
  const running = ref(false)
  let waiting: ReturnType<typeof setTimeout> | undefined
  let current: AbortController | undefined

  async function rehearse(body: string): Promise<void> {
    current = new AbortController()
    const { signal } = current
    try {
      const answer = await content(
        api.POST('/api/rehearsal', { body: JSON.parse(body) as never, signal }),
      )
      rehearsal.value = answer
      failure.value = ''
    } catch (error) {
      if (signal.aborted) return
      failure.value = error instanceof Error ? error.message : String(error)
    }
    running.value = false
  }

  function asked(): string | undefined {
    const written = toValue(draft)
    const when = written ? whenOf(written) : toValue(fixed)
    if (!when) return undefined
    const then = written ? thenOf(written).filter(isComplete) : []
    const unless = written ? unlessOf(written) : undefined
    return JSON.stringify({
      when,
      unless,
      then,
      stop: written?.stop ?? false,
      rule_id: toValue(ruleId) ?? null,
    })
  }

  watch(
    [asked, () => toValue(version)],
    ([body], before) => {
      clearTimeout(waiting)
      current?.abort()
      if (body === undefined) {
        rehearsal.value = undefined
        running.value = false
        return
      }
      running.value = true
      const pause = before[0] === undefined ? 0 : PAUSE
      waiting = setTimeout(() => void rehearse(body), pause)
    },
    { immediate: true },
  )

  onScopeDispose(() => {
    clearTimeout(waiting)
    current?.abort()
  })

  return {
    rehearsal: shallowReadonly(rehearsal),
    failure: readonly(failure),
    running: readonly(running),
  }
}
