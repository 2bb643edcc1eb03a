/**
 * The rehearsal of a draft: it follows every keystroke, and only the newest answer counts. Where
 * counting takes longer, what was counted at a glance stands at once and the whole follows.
 */
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
import { nameOf, thenOf, unlessOf, whenOf, type Draft } from '@/rules/draft'

const PAUSE = 60 // milliseconds without a keystroke

/** Mail that comes in is followed as often as leaves the server time for other things. */
const REST = 3 // times as long as the last answer took

type Patience = 'glance' | 'whole'

/** What the server is asked about a draft; undefined while it says nothing. */
export function rehearsalBody(draft: Draft, ruleId: number | undefined): object | undefined {
  const when = whenOf(draft)
  if (!when) return undefined
  return {
    name: nameOf(draft) || 'new rule',
    enabled: draft.enabled,
    when,
    unless: unlessOf(draft) ?? null,
    then: thenOf(draft).filter(isComplete),
    stop: draft.stop,
    runs: draft.runs.length > 0 ? draft.runs : ['arrival'],
    accounts: draft.accounts,
    pins: draft.pins,
    rule_id: ruleId ?? null,
  }
}

/** Whether two questions are about the same conditions: a new rule that is saved has a number. */
function sameConditions(one: string | undefined, other: string | undefined): boolean {
  const conditions = (body: string | undefined): string => {
    const said = JSON.parse(body ?? '{}') as { when?: unknown; unless?: unknown }
    return JSON.stringify([said.when, said.unless])
  }
  return conditions(one) === conditions(other)
}

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

  async function ask(body: string, patience: Patience, signal: AbortSignal): Promise<Rehearsal> {
    const asked = { ...(JSON.parse(body) as object), patience }
    return content(api.POST('/api/rehearsal', { body: asked as never, signal }))
  }

  let took = 0 // milliseconds of the last answer
  async function rehearse(body: string, first: Patience): Promise<void> {
    const seen = toValue(version)
    const begun = performance.now()
    current = new AbortController()
    const { signal } = current
    try {
      rehearsal.value = await ask(body, first, signal)
      failure.value = ''
      if (!rehearsal.value.whole) rehearsal.value = await ask(body, 'whole', signal)
    } catch (error) {
      if (signal.aborted) return
      failure.value = error instanceof Error ? error.message : String(error)
    }
    running.value = busy = false
    took = performance.now() - begun
    if (toValue(version) !== seen) follow(body)
  }

  let busy = false // an answer is under way, or will be asked for
  function soon(body: string, pause: number, first: Patience = 'glance'): void {
    busy = true
    waiting = setTimeout(() => void rehearse(body, first), pause)
  }

  /** Where mail pours in, what is asked is asked anew; not at once, and what is shown stands. */
  function follow(body: string): void {
    soon(body, Math.max(PAUSE, took * REST), 'whole')
  }

  function asked(): string | undefined {
    const written = toValue(draft)
    if (written) {
      const body = rehearsalBody(written, toValue(ruleId))
      return body && JSON.stringify(body)
    }
    const when = toValue(fixed)
    return when && JSON.stringify({ when })
  }

  watch(
    [asked, () => toValue(ruleId)] as const,
    ([body, id], [before, idBefore]) => {
      clearTimeout(waiting)
      current?.abort()
      // What another rule takes is not shown beside this one, not even for a moment.
      if (id !== idBefore && !sameConditions(body, before)) rehearsal.value = undefined
      if (body === undefined) {
        rehearsal.value = undefined
        running.value = busy = false
      } else {
        running.value = true
        soon(body, before === undefined ? 0 : PAUSE)
      }
    },
    { immediate: true },
  )

  watch(
    () => toValue(version),
    () => {
      const body = asked()
      if (!busy && body !== undefined) follow(body)
    },
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
