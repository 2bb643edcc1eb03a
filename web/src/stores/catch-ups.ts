/** A catch-up that goes on in the background: started, followed, stopped, and told of at its end. */
import { promiseTimeout } from '@vueuse/core'
import { defineStore } from 'pinia'
import { ref, watch } from 'vue'

import { catchUpBody } from '@/api/bodies'
import { api, content, type CatchUpAsked, type CatchUpJob } from '@/api/client'
import { catchUpSaying } from '@/rules/sayings'

import { useActs, type Notice } from './acts'
import { useMailbox } from './mailbox'

/** Milliseconds between two looks at how it stands: a short one is seen at once, a long one calmly. */
const FIRST_PAUSE = 100
const LONGEST_PAUSE = 1_000
const GROWTH = 1.5

export const useCatchUps = defineStore('catch-ups', () => {
  const acts = useActs()
  const mailbox = useMailbox()
  const job = ref<CatchUpJob>()
  const begun = ref({ at: 0, done: 0 })
  let busy = false // one is started, or followed

  function ended(state: string): boolean {
    return state === 'done' || state === 'stopped'
  }

  /** Start it and follow it to its end; what was said before is told together with it. */
  async function start(asked: CatchUpAsked, before = ''): Promise<void> {
    await see(content(api.POST('/api/catch-ups', { body: catchUpBody(asked) })), before)
  }

  async function see(beginning: Promise<CatchUpJob>, before: string): Promise<void> {
    busy = true
    try {
      job.value = await beginning
      begun.value = { at: Date.now(), done: job.value.done }
      const report = await follow(before)
      await mailbox.refresh()
      if (report) acts.tell(report)
    } catch (error) {
      acts.fail(error)
    } finally {
      job.value = undefined
      busy = false
    }
  }

  /** One that goes on already is followed too: begun in another tab, by the day, or before a reload. */
  const isBusy = (): boolean => busy
  async function adopt(): Promise<void> {
    if (isBusy()) return
    try {
      const { jobs } = await content(api.GET('/api/catch-ups'))
      if (jobs[0] && !isBusy()) await see(Promise.resolve(jobs[0]), '')
    } catch {
      // whoever began it is told what goes wrong
    }
  }
  watch(
    () => mailbox.version,
    () => void adopt(),
  )

  async function follow(before: string): Promise<Notice | undefined> {
    let pause = FIRST_PAUSE
    while (job.value && !ended(job.value.state)) {
      await promiseTimeout(pause)
      pause = Math.min(pause * GROWTH, LONGEST_PAUSE)
      const path = { job_id: job.value.id }
      job.value = await content(api.GET('/api/catch-ups/{job_id}', { params: { path } }))
    }
    const now = job.value
    if (!now) return undefined
    const stopped = now.state === 'stopped' ? 'Stopped. ' : ''
    const saying = `${before}${stopped}${catchUpSaying(now.report)}`
    return now.report.changed > 0 && now.run_id !== null
      ? { saying, runId: now.run_id }
      : { saying }
  }

  async function stop(): Promise<void> {
    if (!job.value) return
    const path = { job_id: job.value.id }
    await content(api.POST('/api/catch-ups/{job_id}/stop', { params: { path } }))
  }

  /** Seconds that are left at the pace so far; undefined while nothing can be said. */
  function left(): number | undefined {
    const now = job.value
    const done = (now?.done ?? 0) - begun.value.done
    if (!now || done <= 0) return undefined
    const pace = (Date.now() - begun.value.at) / done
    return Math.round(((now.total - now.done) * pace) / 1000)
  }

  return { job, start, stop, left }
})
