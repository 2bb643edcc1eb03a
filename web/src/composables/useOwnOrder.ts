/** An order that the owner puts things into: it stands while it is made and until it is kept. */
import { shallowRef, watch } from 'vue'

/**
 * What is found, in an order of the owner's own. From when they begin to move something until the
 * last order they made is kept or refused, what is found meanwhile waits: it may tell of the
 * order before, and things would jump back below the pointer that is about to press them.
 */
export function useOwnOrder<T extends { id: number }>(
  source: () => readonly T[],
  keep: (ids: number[]) => Promise<unknown>,
) {
  const items = shallowRef<readonly T[]>([])
  let moves = 0 // that are made, or not kept yet

  function follow(): void {
    if (moves === 0) items.value = [...source()]
  }
  watch(source, follow, { immediate: true })

  function begin(): void {
    moves += 1
  }

  /** The move that was begun has ended: its order is kept, then what is found shows again. */
  async function end(): Promise<void> {
    try {
      await keep(items.value.map((item) => item.id))
    } finally {
      moves -= 1
      follow()
    }
  }

  /** Move one by so many places; false where there is no such place. */
  async function move(id: number, by: number): Promise<boolean> {
    const index = items.value.findIndex((item) => item.id === id)
    const moved = items.value[index]
    const to = index + by
    if (!moved || to < 0 || to >= items.value.length) return false
    const order = items.value.filter((item) => item.id !== id)
    order.splice(to, 0, moved)
    begin()
    items.value = order
    await end()
    return true
  }

  return { items, begin, end, move }
}
