/** The rows of a long list of messages, those alone that are in sight; a day's first one is higher. */
import { useVirtualizer } from '@tanstack/vue-virtual'
import { useElementSize } from '@vueuse/core'
import { computed, watch, type Ref } from 'vue'

import type { Message } from '@/api/client'
import { daySaying } from '@/rules/sayings'

export const ROW = 76 // pixels, as in MessageRow.vue
const HEADING = 27

function day(message: Message): string {
  return daySaying(new Date(message.received), new Date())
}

interface Loaded {
  at: (index: number) => Message | undefined
  need: (first: number, last: number) => void
  pages: Readonly<Ref<unknown>>
  total: Readonly<Ref<number>>
}

export function useDayRows(list: Readonly<Ref<HTMLElement | undefined>>, loaded: Loaded) {
  const { at, need, pages, total } = loaded

  /** The day that begins with a row, where one does. */
  function beginning(index: number): string | undefined {
    const message = at(index)
    if (!message) return undefined
    const before = index > 0 ? at(index - 1) : undefined
    if (index > 0 && !before) return undefined
    return before && day(before) === day(message) ? undefined : day(message)
  }

  const virtual = useVirtualizer(
    computed(() => ({
      count: total.value,
      getScrollElement: () => list.value ?? null,
      estimateSize: (index: number) => (beginning(index) === undefined ? ROW : ROW + HEADING),
      overscan: 8,
    })),
  )
  const rows = computed(() => virtual.value.getVirtualItems())
  /**
   * Rows where a day begins are higher. Which they are is known once they are loaded; measuring all
   * rows anew would stop a list in motion, so it waits until it rests, and what is on top stays there.
   */
  let stale = false
  function measure(): void {
    const list = virtual.value
    if (list.isScrolling) {
      stale = true
      return
    }
    stale = false
    const offset = list.scrollOffset ?? 0
    const top = rows.value.find((row) => row.end > offset)
    list.measure()
    if (!top || offset === 0) return
    const now = list.getVirtualItems().find((item) => item.index === top.index)
    if (now && now.start !== top.start) list.scrollToOffset(now.start + offset - top.start)
  }
  watch([pages, total], measure, { flush: 'post' })
  watch(
    () => virtual.value.isScrolling,
    (moves) => {
      if (!moves && stale) measure()
    },
  )
  watch(
    () => [rows.value[0]?.index, rows.value.at(-1)?.index] as const,
    ([first, last]) => {
      if (first !== undefined && last !== undefined) need(first, last)
    },
  )
  const { height } = useElementSize(list)
  watch(height, measure)

  /** The day of the row at the top, kept in sight while its rows pass. */
  const topDay = computed(() => {
    const offset = virtual.value.scrollOffset ?? 0
    const first = rows.value.find((row) => row.end > offset)
    const message = first ? at(first.index) : undefined
    return message ? day(message) : ''
  })

  return { virtual, rows, beginning, topDay }
}
