import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope, nextTick, ref, type EffectScope } from 'vue'

import { newCondition, newDraft, newGroup, type Draft } from '@/rules/draft'

import { useRehearsal } from './useRehearsal'

const PAUSE = 200 // milliseconds, longer than the composable waits

interface Asked {
  body: unknown
  signal: AbortSignal
  answer: (takes: number, whole?: boolean) => void
}

let asked: Asked[] = []
let scope: EffectScope

/** A server that answers when it is told to. */
function serve(request: Request): Promise<Response> {
  return new Promise((resolve, reject) => {
    void request.json().then((body: unknown) => {
      const answer = (takes: number, whole = true): void => {
        resolve(Response.json({ takes, whole }))
      }
      asked.push({ body, signal: request.signal, answer })
    })
    request.signal.addEventListener('abort', () => {
      reject(new DOMException('cancelled', 'AbortError'))
    })
  })
}

function draftWith(value: string): Draft {
  return {
    ...newDraft(),
    when: newGroup('all', [{ ...newCondition('subject'), typed: value }]),
  }
}

async function settle(): Promise<void> {
  await nextTick()
  await vi.advanceTimersByTimeAsync(PAUSE)
}

beforeEach(() => {
  asked = []
  vi.useFakeTimers()
  vi.stubGlobal('fetch', serve)
  scope = effectScope()
})

afterEach(() => {
  scope.stop()
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

function rehearse(first: Draft) {
  const draft = ref(first)
  const version = ref(0)
  const ruleId = ref<number>()
  const inScope = scope.run(() => useRehearsal(draft, undefined, version, ruleId))
  if (!inScope) throw new Error('the scope has ended')
  return { draft, version, ruleId, ...inScope }
}

describe('a rehearsal', () => {
  it('asks once for keys typed in quick succession, and for nothing while nothing is said', async () => {
    const { draft, rehearsal } = rehearse(newDraft())
    await settle()
    expect(asked).toHaveLength(0)
    for (const typed of ['p', 'pe', 'per']) {
      draft.value = draftWith(typed)
      await nextTick()
    }
    await settle()
    expect(asked).toHaveLength(1)
    expect(JSON.stringify(asked[0]?.body)).toContain('"per"')
    asked[0]?.answer(7)
    await settle()
    expect(rehearsal.value?.takes).toBe(7)
    draft.value = newDraft()
    await settle()
    expect(rehearsal.value).toBeUndefined()
  })

  it('cancels an older question, whose answer never counts', async () => {
    const { draft, rehearsal, running } = rehearse(draftWith('old'))
    await settle()
    draft.value = draftWith('new')
    await settle()
    expect(asked).toHaveLength(2)
    expect(asked[0]?.signal.aborted).toBe(true)
    asked[1]?.answer(2)
    asked[0]?.answer(1)
    await settle()
    expect(rehearsal.value?.takes).toBe(2)
    expect(running.value).toBe(false)
  })

  it('shows nothing of another rule, but what stands when a new rule gets its number', async () => {
    const { draft, ruleId, rehearsal } = rehearse(draftWith('permit'))
    await settle()
    asked[0]?.answer(7)
    await settle()
    ruleId.value = 4
    await settle()
    expect(rehearsal.value?.takes).toBe(7)
    draft.value = draftWith('lock')
    ruleId.value = 5
    await nextTick()
    expect(rehearsal.value).toBeUndefined()
  })

  it('shows what was counted at a glance, and then the whole', async () => {
    const { rehearsal, running } = rehearse(draftWith('the'))
    await settle()
    asked[0]?.answer(1_000, false)
    await settle()
    expect(rehearsal.value?.takes).toBe(1_000)
    expect(running.value).toBe(true)
    expect(asked.map((request) => (request.body as { patience: string }).patience)).toEqual([
      'glance',
      'whole',
    ])
    asked[1]?.answer(30_000)
    await settle()
    expect(rehearsal.value?.takes).toBe(30_000)
    expect(running.value).toBe(false)
  })

  it('asks again when the mailbox has changed, once what was asked is answered', async () => {
    const { version, rehearsal } = rehearse(draftWith('permit'))
    await settle()
    for (let mail = 0; mail < 3; mail += 1) {
      version.value += 1
      await settle()
    }
    expect(asked).toHaveLength(1)
    asked[0]?.answer(7)
    await settle()
    expect(rehearsal.value?.takes).toBe(7)
    await vi.runOnlyPendingTimersAsync()
    expect(asked).toHaveLength(2)
    // A whole count that stands is not replaced by one that is "at least".
    expect((asked[1]?.body as { patience: string }).patience).toBe('whole')
    asked[1]?.answer(8)
    await vi.runOnlyPendingTimersAsync()
    expect(asked).toHaveLength(2)
    version.value += 1
    await nextTick()
    await vi.runOnlyPendingTimersAsync()
    expect(asked).toHaveLength(3)
  })
})
