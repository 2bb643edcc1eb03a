/** What a person does with mail, and taking it back. */
import { defineStore } from 'pinia'
import { ref } from 'vue'

import { api, content, type Action, type PlainAct, type Which } from '@/api/client'

import { useMailbox } from './mailbox'

export interface Notice {
  saying: string
  /** What Undo takes back; none where there is nothing to take back. */
  runId?: number
  failed?: boolean
}

export type Act = Action['do'] extends never ? never : { do: Action } | { plain: PlainAct }

/** How long a notice stands: long enough to read it and to reach for Undo. */
const STANDS = 12_000 // milliseconds

export const useActs = defineStore('acts', () => {
  const mailbox = useMailbox()
  const notice = ref<Notice>()
  let fading: ReturnType<typeof setTimeout> | undefined

  function tell(next: Notice): void {
    clearTimeout(fading)
    notice.value = next
    fading = setTimeout(() => (notice.value = undefined), STANDS)
  }

  function fail(error: unknown): void {
    tell({ saying: error instanceof Error ? error.message : String(error), failed: true })
  }

  /** Do it, let the screen follow, and say so once it is true; false where it was refused. */
  async function attempt(work: () => Promise<Notice | undefined>): Promise<boolean> {
    try {
      const told = await work()
      await mailbox.refresh()
      if (told) tell(told)
      return true
    } catch (error) {
      fail(error)
      await mailbox.refresh()
      return false
    }
  }

  async function act(which: Which, what: Act): Promise<boolean> {
    return attempt(async () => {
      const done = await content(api.POST('/api/changes', { body: { which, ...what } as never }))
      return done.run_id === null
        ? { saying: done.saying }
        : { saying: done.saying, runId: done.run_id }
    })
  }

  async function undo(
    runId?: number,
    part: { message_id?: number; rule_id?: number } = {},
  ): Promise<boolean> {
    return attempt(async () => {
      const done = await content(
        api.POST('/api/undo', {
          body: { run_id: runId ?? null, message_id: null, rule_id: null, ...part },
        }),
      )
      const left = done.left_alone > 0 ? `; ${done.left_alone} changed since, left alone` : ''
      const saying = `${done.saying}${left}`
      return done.run_id === null ? { saying } : { saying, runId: done.run_id }
    })
  }

  function dismiss(): void {
    notice.value = undefined
  }

  return { notice, tell, fail, attempt, act, undo, dismiss }
})
