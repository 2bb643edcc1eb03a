import { describe, expect, it } from 'vitest'

import { useListBox } from './useListBox'

describe('the list below a field', () => {
  it.each([
    { first: 0, steps: [1, 1, 1], active: [1, 2, 0] },
    { first: 0, steps: [-1, -1], active: [2, 1] },
    { first: -1, steps: [1, 1], active: [0, 1] },
    { first: -1, steps: [-1, 1], active: [2, 0] },
  ] as const)('goes round from $first by $steps', async ({ first, steps, active }) => {
    const listBox = useListBox('list', () => 3, first)
    const went = []
    for (const by of steps) {
      await listBox.step(by)
      went.push(listBox.active.value)
    }
    expect(went).toEqual(active)
    expect(listBox.activeId()).toBe(`list-${String(active.at(-1))}`)
    listBox.restart()
    expect(listBox.active.value).toBe(first)
  })

  it('stays where it is without options, and names none of them', async () => {
    const listBox = useListBox('list', () => 0, 0)
    await listBox.step(-1)
    expect(listBox.active.value).toBe(0)
    expect(listBox.activeId()).toBeUndefined()
  })
})
