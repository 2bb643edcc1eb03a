/** What is done to the line as a whole, and what the order check says of it. */
import { useTimeoutFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import {
  api,
  content,
  RefusedError,
  type BrokenExample,
  type Finding,
  type LineChange,
} from '@/api/client'

import { useActs } from './acts'
import { useMailbox } from './mailbox'
import { useWorkbench, type Complaint } from './workbench'

export type LineAct = 'switch_on' | 'switch_off' | 'copy' | 'delete'
export type Remedy = Finding['remedies'][number]

/** Mail comes in bursts; the check follows when it is quiet for so long. */
const QUIET = 400 // milliseconds

/** In a large mailbox it takes its time; then it is asked for as much less often. */
const REST = 4 // times as long as the last check took

/** Broken examples are asked about in one place, so that every change of the line asks alike. */
export async function askAboutExamples(broken: Complaint[]): Promise<boolean> {
  const said = broken.map((each) => each.message).join('; ')
  try {
    await ElMessageBox.confirm(`${said}.`, 'A pinned example is no longer as it must be', {
      confirmButtonText: 'Save anyway',
      cancelButtonText: 'Go back',
    })
    return true
  } catch {
    return false
  }
}

export const useLine = defineStore('line', () => {
  const mailbox = useMailbox()
  const workbench = useWorkbench()
  const acts = useActs()
  const findings = shallowRef<readonly Finding[]>([])
  const broken = shallowRef<readonly BrokenExample[]>([])
  const watching = ref(false)

  let took = 0 // milliseconds of the last check
  let checking = false
  async function check(): Promise<void> {
    const begun = performance.now()
    checking = true
    try {
      const found = await content(api.GET('/api/rules/check'))
      findings.value = found.findings
      broken.value = found.broken
    } catch {
      findings.value = [] // the line says of itself when the server does not answer
    }
    checking = false
    took = performance.now() - begun
  }

  const pause = ref(QUIET)
  const waiting = useTimeoutFn(() => void checkInTurn(), pause, { immediate: false })
  async function checkInTurn(): Promise<void> {
    waiting.stop()
    const seen = mailbox.version
    if (!checking) await check()
    if (checking || mailbox.version !== seen) checkSoon()
  }
  function checkSoon(): void {
    waiting.stop()
    pause.value = Math.max(QUIET, took * REST)
    if (watching.value) waiting.start()
  }
  watch([() => mailbox.version, watching], checkSoon, { immediate: true })

  /** What the owner has just changed is looked at at once; only other changes wait. */
  watch(
    () => JSON.stringify(mailbox.rules.map(({ id, rule }) => [id, rule])),
    () => {
      waiting.stop()
      if (watching.value) void checkInTurn()
    },
  )

  /** Do something to the line, say so with Undo, and let the screen follow. */
  async function change(
    work: (anyway: boolean) => Promise<LineChange>,
  ): Promise<LineChange | undefined> {
    let done: LineChange | undefined
    await acts.attempt(async () => {
      try {
        done = await workbench.asked(askAboutExamples, work)
      } catch (error) {
        if (error instanceof RefusedError) throw new Error(error.problem.detail, { cause: error })
        throw error
      }
      if (!done) return undefined
      const { saying, run_id } = done
      return run_id === null ? { saying } : { saying, runId: run_id }
    })
    return done
  }

  function act(ids: number[], what: LineAct): Promise<LineChange | undefined> {
    return change((anyway) =>
      content(api.POST('/api/rules/acts', { body: { ids, do: what, anyway } })),
    )
  }

  function reorder(ids: number[]): Promise<LineChange | undefined> {
    return change((anyway) => content(api.PUT('/api/rules/order', { body: { ids, anyway } })))
  }

  /** Put one rule right above another. */
  function moveAbove(rule: number, other: number): Promise<LineChange | undefined> {
    const ids = mailbox.rules.map((each) => each.id).filter((id) => id !== rule)
    ids.splice(ids.indexOf(other), 0, rule)
    return reorder(ids)
  }

  function mend(finding: Finding, kind: Remedy): Promise<LineChange | undefined> {
    const body = { kind, rule_id: finding.rule_id, other_id: finding.by[0] ?? null }
    return change(() => content(api.POST('/api/rules/remedies', { body })))
  }

  const byRule = computed(() => {
    const found = new Map<number, string[]>()
    const say = (id: number, saying: string): unknown =>
      found.set(id, [...(found.get(id) ?? []), saying])
    for (const each of findings.value) say(each.rule_id, each.saying)
    for (const each of broken.value) {
      say(each.rule_id, `“${each.message.subject ?? 'No subject'}” ${each.wrong}`)
    }
    return found
  })

  return { findings, broken, byRule, watching, act, reorder, moveAbove, mend }
})
