/** Which messages of a list are selected: some by id, or all of them but for some. */
import { computed, readonly, ref, toValue, watch, type MaybeRefOrGetter } from 'vue'

import type { Which } from '@/api/client'

import type { Place } from './useMessages'

export function useSelection(
  place: MaybeRefOrGetter<Place | undefined>,
  total: MaybeRefOrGetter<number>,
) {
  /** With `all`, the ids that are left out; without, those that are in. */
  const ids = ref<ReadonlySet<number>>(new Set())
  const all = ref(false)
  /** Where a range begins that is extended with Shift. */
  const anchor = ref<number>()

  const count = computed(() => (all.value ? toValue(total) - ids.value.size : ids.value.size))

  function has(id: number): boolean {
    return ids.value.has(id) !== all.value
  }

  function set(id: number, selected: boolean): void {
    const next = new Set(ids.value)
    if (selected === all.value) next.delete(id)
    else next.add(id)
    ids.value = next
  }

  function toggle(id: number, index: number): void {
    set(id, !has(id))
    anchor.value = index
  }

  /** Select the messages between the anchor and `index`; `idAt` knows those that are loaded. */
  function extend(index: number, idAt: (index: number) => number | undefined): void {
    const from = anchor.value ?? index
    for (let at = Math.min(from, index); at <= Math.max(from, index); at += 1) {
      const id = idAt(at)
      if (id !== undefined) set(id, true)
    }
    anchor.value = from
  }

  function selectAll(): void {
    all.value = true
    ids.value = new Set()
  }

  function clear(): void {
    all.value = false
    ids.value = new Set()
    anchor.value = undefined
  }

  const which = computed<Which | undefined>(() => {
    const where = toValue(place)
    if (count.value === 0 || !where) return undefined
    if (!all.value) return { ids: [...ids.value], leave_out: [] }
    return { ...where, leave_out: [...ids.value] }
  })

  watch(() => JSON.stringify(toValue(place)), clear)

  return {
    all: readonly(all),
    anchor: readonly(anchor),
    count,
    which,
    has,
    toggle,
    extend,
    selectAll,
    clear,
  }
}
