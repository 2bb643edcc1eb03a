/**
 * A list of messages of any length: pages are loaded where they are looked at, and loaded again
 * when something changed.
 */
import {
  computed,
  onScopeDispose,
  readonly,
  ref,
  shallowRef,
  toValue,
  watch,
  type MaybeRefOrGetter,
} from 'vue'

import { api, content, type Message, type MessageQuery, type Messages } from '@/api/client'

export type Place = { folder: number } | { label: number } | { find: string }

const PAGE = 60

/** Pages kept while the list is scrolled; enough for a long look back. */
const KEPT = 40

export function useMessages(
  place: MaybeRefOrGetter<Place | undefined>,
  version: MaybeRefOrGetter<number>,
) {
  const pages = shallowRef<ReadonlyMap<number, readonly Message[]>>(new Map())
  const total = ref(0)
  /** Else the total is "at least". */
  const whole = ref(true)
  const loading = ref(false)
  const failure = ref('')
  const problems = ref<string[]>([])
  /** Prefixes of a search that are still being typed, and what may stand behind each. */
  const unfinished = ref<string[]>([])
  /** The pages that are on the screen: they are loaded again when something changed. */
  let seen = { first: 0, last: 0 }
  let current = new AbortController()
  const asked = new Set<number>()

  /** What was here of an earlier question is let go where the page `replaces` it. */
  async function load(page: number, replaces = false): Promise<void> {
    const where = toValue(place)
    if (!where || asked.has(page)) return
    asked.add(page)
    loading.value = true
    const { signal } = current
    try {
      const query = { ...where, offset: page * PAGE, limit: PAGE }
      const first = 'find' in where && page === 0 // its rows are here before they are counted
      const glance = { ...query, patience: 'glance' } as const
      const counted = await show(page, first ? glance : query, signal, replaces)
      if (!counted) await show(page, query, signal)
    } catch (error) {
      if (signal.aborted) return
      failure.value = error instanceof Error ? error.message : String(error)
    }
    asked.delete(page)
    loading.value = asked.size > 0
  }

  /** Ask for a page and show it; whether all that the list has were counted. */
  async function show(
    page: number,
    query: MessageQuery,
    signal: AbortSignal,
    replaces = false,
  ): Promise<boolean> {
    const listed = await content(api.GET('/api/messages', { params: { query }, signal }))
    signal.throwIfAborted()
    take(page, listed, replaces)
    return listed.whole
  }

  function take(page: number, listed: Messages, replaces: boolean): void {
    total.value = listed.total
    whole.value = listed.whole
    unfinished.value = listed.unfinished
    problems.value = listed.problems.map((problem) => `${problem.path}: ${problem.message}`)
    const next = new Map(replaces ? [] : pages.value).set(page, listed.messages)
    for (const key of next.keys()) {
      if (next.size > KEPT && (key < seen.first || key > seen.last)) next.delete(key)
    }
    pages.value = next
    failure.value = ''
  }

  /** Load what stands between two places of the list, where it is not here yet. */
  function need(first: number, last: number): void {
    seen = { first: Math.floor(first / PAGE), last: Math.floor(Math.max(first, last) / PAGE) }
    for (let page = seen.first; page <= seen.last; page += 1) {
      if (!pages.value.has(page)) void load(page)
    }
  }

  function at(index: number): Message | undefined {
    return pages.value.get(Math.floor(index / PAGE))?.[index % PAGE]
  }

  /** Where a message stands among those that are loaded. */
  function indexOf(id: number): number | undefined {
    for (const [page, messages] of pages.value) {
      const index = messages.findIndex((message) => message.id === id)
      if (index >= 0) return page * PAGE + index
    }
    return undefined
  }

  function again(): void {
    current.abort()
    current = new AbortController()
    asked.clear()
    loading.value = false
  }

  watch(
    () => JSON.stringify(toValue(place)),
    (_, before) => {
      again()
      // A search that is being typed keeps its last answer until the next one is there.
      const typing = before?.includes('"find"') && 'find' in (toValue(place) ?? {})
      if (!typing) {
        pages.value = new Map()
        total.value = 0
        whole.value = true
        problems.value = []
      }
      seen = { first: 0, last: 0 }
      void load(0, typing)
    },
    { immediate: true },
  )

  watch(
    () => toValue(version),
    () => {
      again()
      const stale = pages.value
      const kept = new Map<number, readonly Message[]>()
      for (let page = seen.first; page <= seen.last; page += 1) {
        const messages = stale.get(page)
        if (messages) kept.set(page, messages)
        void load(page)
      }
      pages.value = kept
    },
  )
  onScopeDispose(() => {
    current.abort()
  })

  return {
    at,
    indexOf,
    need,
    pages: computed(() => pages.value),
    total: readonly(total),
    whole: readonly(whole),
    loading: readonly(loading),
    failure: readonly(failure),
    problems: readonly(problems),
    unfinished: readonly(unfinished),
  }
}
