/** What a person does with mail, and taking it back. */
import { useTimeoutFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

import { changeBody } from '@/api/bodies'
import {
  api,
  content,
  RefusedError,
  type AskedAct,
  type RuleProposal,
  type Which,
} from '@/api/client'
import { isRefused } from '@/api/problems'
import { countSaying } from '@/rules/sayings'
import { offerSaying } from '@/text/offer-saying'

import { ask } from './asking'
import { useMailbox } from './mailbox'

export interface Notice {
  saying: string
  /** What the note's button takes back; none where there is nothing to take back. */
  runId?: number
  /** It was an undo itself: to take it back is to do it again, and not for the undo key. */
  undid?: boolean
  failed?: boolean
  /** A rule for what was just done by hand again. */
  offer?: { saying: string; proposal: RuleProposal }
}

export type Act = AskedAct

/** What moves much of the mail is asked about once, with its number. */
export function askAboutLargeMove(question: string): Promise<boolean> {
  return ask(`${question}. Undo brings them back.`, 'Move so much of the mail?', 'Move them')
}

/** A rule that is to erase says how many it takes, and how many a catch-up would erase. */
export function askAboutErasing(takes: number, erases: number, days: number): Promise<boolean> {
  const here = `of the mail already here it takes ${countSaying(takes, 'message')}, and a catch-up erases ${erases.toLocaleString('en-GB')} of them`
  const held = `Each message is held back for ${countSaying(days, 'day')}, and Undo brings it back as long; after that it is gone for good.`
  return ask(`This rule erases mail: ${here}. ${held}`, 'Erase by rule?', 'Save the rule')
}

/** RFC 9110, section 15.5.21. */
const UNPROCESSABLE = 422

/** How long a notice stands: long enough to read it and to reach for Undo. */
const STANDS = 12_000 // milliseconds

export const useActs = defineStore('acts', () => {
  const mailbox = useMailbox()
  const notice = ref<Notice>()
  const fading = useTimeoutFn(() => (notice.value = undefined), STANDS, { immediate: false })

  function tell(next: Notice): void {
    fading.stop()
    notice.value = next
    fading.start()
  }

  /** A notice that is looked into stands as long as that; then its time begins again. */
  function hold(): void {
    fading.stop()
  }
  function release(): void {
    if (notice.value) fading.start()
  }

  function fail(error: unknown): void {
    tell({ saying: error instanceof Error ? error.message : String(error), failed: true })
  }

  /**
   * Do it, let the screen follow, and say so once it is true; false where it was refused. What was
   * filled in wrongly is told where it stands, by whoever takes `refused`.
   */
  async function attempt(
    work: () => Promise<Notice | undefined>,
    refused?: (error: RefusedError) => void,
  ): Promise<boolean> {
    try {
      const note = await work()
      await mailbox.refresh()
      if (note) tell(note)
      return true
    } catch (error) {
      if (refused && error instanceof RefusedError && error.problem.status === UNPROCESSABLE) {
        refused(error)
        return false
      }
      fail(error)
      await mailbox.refresh()
      return false
    }
  }

  /** Do it; where it moves much of the mail it is asked about first, with its number. */
  async function asking<T>(work: (askFirst: boolean) => Promise<T>): Promise<T | undefined> {
    try {
      return await work(true)
    } catch (error) {
      if (!isRefused(error, 'muchMailMoves')) throw error
      return (await askAboutLargeMove(error.problem.detail)) ? work(false) : undefined
    }
  }

  /** Quietly, beside what was done: a rule for it, where it was done by hand again and again. */
  async function offerAfter(runId: number, what: Act): Promise<void> {
    if (!('do' in what)) return
    try {
      const body = { run_id: runId }
      const { proposal } = await content(api.POST('/api/offers', { body }))
      if (!proposal) return
      // Asked once: so it is told, also where the note says the next thing by then, or is gone.
      const saying = offerSaying(proposal)
      tell({ ...(notice.value ?? { saying: '' }), offer: { saying, proposal } })
    } catch {
      // nothing is offered then; what was done is done
    }
  }

  async function act(which: Which, what: Act): Promise<boolean> {
    let went = false
    let runId: number | undefined
    const fine = await attempt(async () => {
      const done = await asking((askFirst) =>
        content(api.POST('/api/changes', { body: changeBody(which, what, askFirst) })),
      )
      went = done !== undefined
      if (!done) return undefined
      if (done.run_id === null) return { saying: done.saying }
      runId = done.run_id
      return { saying: done.saying, runId }
    })
    // Only once the note stands: an answer that is there first would be told over.
    if (runId !== undefined) void offerAfter(runId, what)
    return fine && went
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
      if (done.run_id === null) return { saying }
      return { saying, runId: done.run_id, undid: !done.again }
    })
  }

  /** Whether the visible note offers to take something back. */
  const offers = computed(() => notice.value?.runId !== undefined && !notice.value.undid)

  /** What the undo key takes back: what the visible note offers, else the newest thing done. */
  const next = computed(() => {
    const now = notice.value
    if (now?.runId !== undefined && !now.undid) return { runId: now.runId, saying: now.saying }
    return mailbox.undo && { runId: mailbox.undo.run_id, saying: mailbox.undo.saying }
  })

  async function undoNext(): Promise<void> {
    await undo(next.value?.runId)
  }

  function dismiss(): void {
    notice.value = undefined
  }

  return {
    notice,
    offers,
    next,
    tell,
    hold,
    release,
    fail,
    attempt,
    asking,
    act,
    undo,
    undoNext,
    dismiss,
  }
})
