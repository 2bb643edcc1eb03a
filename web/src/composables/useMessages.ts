/** A list of messages, page by page, kept true while mail arrives and moves. */
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

import { api, content, type Message } from '@/api/client'

export type Place = { folder: number } | { label: number }

const PAGE = 60

export function useMessages(
  place: MaybeRefOrGetter<Place | undefined>,
  version: MaybeRefOrGetter<number>,
) {
  const messages = shallowRef<Message[]>([])
  const total = ref(0)
  const loading = ref(false)
  const failure = ref('')
  let following: string | null = null
  let current = new AbortController()

  async function page(after: string | null, signal: AbortSignal) {
    const where = toValue(place)
    const query = { ...where, ...(after ? { after } : {}), limit: PAGE }
    return content(api.GET('/api/messages', { params: { query }, signal }))
  }

  /** Load from the top as many pages as `length` needs. */
  async function load(length: number): Promise<void> {
    current.abort()
    current = new AbortController()
    const { signal } = current
    loading.value = true
    try {
      let found: Message[] = []
      let after: string | null = null
      do {
        const next: Awaited<ReturnType<typeof page>> = await page(after, signal)
        found = [...found, ...next.messages]
        after = next.next ?? null
        total.value = next.total
      } while (after !== null && found.length < length)
      messages.value = found
      following = after
      failure.value = ''
    } catch (error) {
      if (signal.aborted) return
      failure.value = error instanceof Error ? error.message : String(error)
    }
    loading.value = false
  }

  async function more(): Promise<void> {
    if (following === null || loading.value) return
    loading.value = true
    const { signal } = current
    try {
      const next = await page(following, signal)
      messages.value = [...messages.value, ...next.messages]
      following = next.next ?? null
    } catch (error) {
      if (signal.aborted) return
      failure.value = error instanceof Error ? error.message : String(error)
    }
    loading.value = false
  }

  watch(
    () => JSON.stringify(toValue(place)),
    () => {
      messages.value = []
      total.value = 0
      if (toValue(place)) void load(PAGE)
    },
    { immediate: true },
  )
  watch(
    () => toValue(version),
    () => {
      if (toValue(place)) void load(Math.max(PAGE, messages.value.length))
    },
  )
  onScopeDispose(() => {
    current.abort()
  })

  return {
    messages: shallowReadonly(messages),
    total: readonly(total),
    loading: readonly(loading),
    failure: readonly(failure),
    more,
  }
}
