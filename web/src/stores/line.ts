/** What is done to the line as a whole, and what the order check says of it. */
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
import { useFollower } from '@/composables/useFollower'
import type { Complaint } from '@/text/complaints'

import { useActs } from './acts'
import { ask } from './asking'
import { useMailbox } from './mailbox'
import { useWorkbench } from './workbench'

export type LineAct = 'switch_on' | 'switch_off' | 'copy' | 'delete'
export type Remedy = Finding['remedies'][number]

/** Mail comes in bursts; the check follows when it is quiet for so long. */
const QUIET = 400 // milliseconds

/** In a large mailbox it takes its time; then it is asked for as much less often. */
const REST = 4 // times as long as the last check took

/** Broken examples are asked about in one place, so that every change of the line asks alike. */
export function askAboutExamples(broken: Complaint[]): Promise<boolean> {
  const said = broken.map((example) => example.message).join('; ')
  return ask(`${said}.`, 'A pinned example is no longer as it must be', 'Save anyway')
}

export const useLine = defineStore('line', () => {
  const mailbox = useMailbox()
  const workbench = useWorkbench()
  const acts = useActs()
  const findings = shallowRef<readonly Finding[]>([])
  const broken = shallowRef<readonly BrokenExample[]>([])
  const watching = ref(false)

  /** How much is found in all; what is told in full are the first findings, and the open rule's. */
  const total = ref(0)
  /** All rules of which something is found. */
  const concerned = shallowRef<readonly number[]>([])

  const { now, soon, withdraw, looking, took } = useFollower(async (signal) => {
    try {
      const query = workbench.ruleId === undefined ? {} : { rule_id: workbench.ruleId }
      const checked = await content(api.GET('/api/rules/check', { params: { query }, signal }))
      if (signal.aborted) return
      findings.value = checked.findings
      total.value = checked.total
      concerned.value = checked.rule_ids
      broken.value = checked.broken
    } catch (error) {
      if (signal.aborted) return
      findings.value = [] // the line says of itself when the server does not answer
      throw error
    }
  })

  let stale = false // something changed while it looked
  function checkSoon(): void {
    stale = looking.value
    if (watching.value && !looking.value) soon(Math.max(QUIET, took() * REST))
  }
  watch(() => mailbox.version, checkSoon)
  watch(looking, (looks) => {
    if (!looks && stale) checkSoon()
  })

  /** What the owner has just changed is looked at at once; only other changes wait. */
  watch([watching, () => JSON.stringify(mailbox.rules.map(({ id, rule }) => [id, rule]))], () => {
    if (watching.value) void now()
    else withdraw()
  })

  watch(
    () => workbench.ruleId,
    (id) => {
      if (watching.value && id !== undefined && toldInPart(id)) void now()
    },
  )

  /** Whether something is found of a rule that is not told in full. */
  function toldInPart(id: number): boolean {
    return concerned.value.includes(id) && !findings.value.some((finding) => finding.rule_id === id)
  }

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
    const ids = mailbox.rules.map((stored) => stored.id).filter((id) => id !== rule)
    ids.splice(ids.indexOf(other), 0, rule)
    return reorder(ids)
  }

  function mend(finding: Finding, kind: Remedy): Promise<LineChange | undefined> {
    const body = { kind, rule_id: finding.rule_id, other_id: finding.by[0] ?? null }
    return change(() => content(api.POST('/api/rules/remedies', { body })))
  }

  const byRule = computed(() => {
    const sayings = new Map<number, string[]>()
    const say = (id: number, saying: string): unknown =>
      sayings.set(id, [...(sayings.get(id) ?? []), saying])
    for (const finding of findings.value) say(finding.rule_id, finding.saying)
    for (const id of concerned.value) if (toldInPart(id)) say(id, 'Open it to see what is found')
    for (const example of broken.value) {
      say(example.rule_id, `“${example.message.subject ?? 'No subject'}” ${example.wrong}`)
    }
    return sayings
  })

  return { findings, total, broken, byRule, watching, act, reorder, moveAbove, mend }
})
