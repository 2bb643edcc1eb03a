import { describe, expect, it } from 'vitest'
import { effectScope, nextTick, ref } from 'vue'

import type { Place } from './useMessages'
import { useSelection } from './useSelection'

function selection(total = 12_000) {
  const place = ref<Place>({ folder: 3 })
  const inScope = effectScope().run(() => useSelection(place, total))
  if (!inScope) throw new Error('the scope has ended')
  return { place, ...inScope }
}

/** The list's ids: a hundred times the row, and only the first ten rows are loaded. */
function idAt(index: number): number | undefined {
  return index < 10 ? index * 100 : undefined
}

describe('a selection', () => {
  it('begins with nothing', () => {
    const { count, which } = selection()
    expect([count.value, which.value]).toEqual([0, undefined])
  })

  it('takes single messages and ranges from the last one that was taken', () => {
    const { toggle, extend, which, count } = selection()
    toggle(200, 2)
    extend(4, idAt)
    toggle(900, 9)
    extend(8, idAt)
    expect(which.value).toEqual({ ids: [200, 300, 400, 900, 800], leave_out: [] })
    toggle(300, 3)
    expect(count.value).toBe(4)
  })

  it('of everything names the place and what is left out, not twelve thousand ids', () => {
    const { selectAll, toggle, has, which, count } = selection()
    selectAll()
    toggle(200, 2)
    expect(which.value).toEqual({ folder: 3, leave_out: [200] })
    expect([count.value, has(200), has(300)]).toEqual([11_999, false, true])
    toggle(200, 2)
    expect(which.value).toEqual({ folder: 3, leave_out: [] })
  })

  it('ends where another place is opened', async () => {
    const { place, selectAll, count } = selection()
    selectAll()
    place.value = { label: 1 }
    await nextTick()
    expect(count.value).toBe(0)
  })
})
