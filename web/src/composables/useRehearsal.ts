/**
 * The rehearsal of a draft: it follows every keystroke, and only the newest answer counts. Where
 * counting takes longer, what was counted at a glance stands at once and the whole follows.
 */
import {
  readonly,
  ref,
  shallowReadonly,
  shallowRef,
  toValue,
  watch,
  type MaybeRefOrGetter,
} from 'vue'

import { rehearsalBody } from '@/api/bodies'
import { api, content, type Rehearsal, type RehearsalBody, type Test } from '@/api/client'
import { isComplete } from '@/rules/actions'
import { activeOf, nameOf, thenOf, unlessOf, whenOf, type Draft } from '@/rules/draft'

import { useFollower } from './useFollower'

const PAUSE = 60 // milliseconds without a keystroke

/** Mail that comes in is followed as often as leaves the server time for other things. */
const REST = 3 // times as long as the last answer took

type Patience = 'glance' | 'whole'

/** What the server is asked about a draft; undefined while it says nothing. */
export function bodyOfDraft(draft: Draft, ruleId: number | undefined): RehearsalBody | undefined {
  const when = whenOf(draft)
  if (!when) return undefined
  return rehearsalBody({
    ...(nameOf(draft) ? { name: nameOf(draft) } : {}),
    enabled: draft.enabled,
    when,
    unless: unlessOf(draft) ?? null,
    then: thenOf(draft).filter(isComplete),
    stop: draft.stop,
    ...(draft.runs.length > 0 ? { runs: draft.runs } : {}),
    accounts: draft.accounts,
    active: activeOf(draft),
    pins: draft.pins,
    rule_id: ruleId ?? null,
  })
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
  const running = ref(false) // what is shown is not yet of what is asked

  let question: { body: string; patience: Patience } | undefined
  const follower = useFollower(async (signal) => {
    if (!question) return
    const { body, patience } = question
    const seen = toValue(version)
    const answer = async (wanted: Patience): Promise<boolean> => {
      const asked = { ...(JSON.parse(body) as RehearsalBody), patience: wanted }
      const rehearsed = await content(api.POST('/api/rehearsal', { body: asked, signal }))
      if (!signal.aborted) rehearsal.value = rehearsed
      return rehearsed.whole
    }
    try {
      if (!(await answer(patience))) await answer('whole')
    } finally {
      if (!signal.aborted) {
        running.value = false
        if (toValue(version) !== seen) follow(body)
      }
    }
  })

  function soon(body: string, pause: number, patience: Patience = 'glance'): void {
    question = { body, patience }
    follower.soon(pause)
  }

  /** Where mail pours in, what is asked is asked anew; not at once, and what is shown stands. */
  function follow(body: string): void {
    soon(body, Math.max(PAUSE, follower.took() * REST), 'whole')
  }

  function asked(): string | undefined {
    const written = toValue(draft)
    if (written) {
      const body = bodyOfDraft(written, toValue(ruleId))
      return body && JSON.stringify(body)
    }
    const when = toValue(fixed)
    return when && JSON.stringify(rehearsalBody({ when }))
  }

  watch(
    [asked, () => toValue(ruleId)] as const,
    ([body, id], [before, idBefore]) => {
      follower.withdraw()
      // What another rule takes is not shown beside this one, not even for a moment.
      if (id !== idBefore && !sameConditions(body, before)) rehearsal.value = undefined
      if (body === undefined) {
        rehearsal.value = undefined
        running.value = false
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
      const busy = follower.looking.value || follower.waiting.value
      if (!busy && body !== undefined) follow(body)
    },
  )

  return {
    rehearsal: shallowReadonly(rehearsal),
    failure: follower.failure,
    running: readonly(running),
  }
}
