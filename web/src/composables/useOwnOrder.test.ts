import { expect, it } from 'vitest'
import { effectScope, nextTick, shallowRef } from 'vue'

import { useOwnOrder } from './useOwnOrder'

const things = (...ids: number[]) => ids.map((id) => ({ id }))

/** The order on the screen, and what was asked to be kept, each to be answered by its turn. */
function begun() {
  const stored = shallowRef(things(1, 2, 3))
  const asked: { ids: number[]; answer: () => void; refuse: () => void }[] = []
  const own = effectScope().run(() =>
    useOwnOrder(
      () => stored.value,
      (ids) =>
        new Promise<void>((resolve, reject) => {
          asked.push({
            ids,
            answer: resolve,
            refuse: () => {
              reject(new Error('refused'))
            },
          })
        }),
    ),
  )
  if (!own) throw new Error('the scope has ended')
  const shown = () => own.items.value.map(({ id }) => id)
  const tell = async (...ids: number[]) => {
    stored.value = things(...ids)
    await nextTick()
  }
  return { own, asked, shown, tell }
}

it('does not jump back when an answer of the order before comes late', async () => {
  const { own, asked, shown, tell } = begun()
  const moved = own.move(1, 1)
  expect(shown()).toEqual([2, 1, 3])
  await tell(1, 2, 3, 4)
  expect(shown()).toEqual([2, 1, 3])
  await tell(2, 1, 3, 4)
  asked[0]?.answer()
  expect(await moved).toBe(true)
  expect(shown()).toEqual([2, 1, 3, 4])
  await tell(3, 2, 1)
  expect(shown()).toEqual([3, 2, 1])
})

it('waits for the last of several moves', async () => {
  const { own, asked, shown, tell } = begun()
  const first = own.move(1, 1)
  const second = own.move(1, 1)
  expect(asked.map(({ ids }) => ids)).toEqual([
    [2, 1, 3],
    [2, 3, 1],
  ])
  asked[0]?.answer()
  await first
  await tell(2, 1, 3)
  expect(shown()).toEqual([2, 3, 1])
  await tell(2, 3, 1)
  asked[1]?.answer()
  await second
  expect(shown()).toEqual([2, 3, 1])
})

it('holds still while something is dragged, and puts back what was refused', async () => {
  const { own, asked, shown, tell } = begun()
  own.begin()
  await tell(1, 2, 3, 4)
  expect(shown()).toEqual([1, 2, 3])
  own.items.value = things(3, 1, 2)
  const ended = own.end()
  asked[0]?.refuse()
  await expect(ended).rejects.toThrow('refused')
  expect(shown()).toEqual([1, 2, 3, 4])
})

it.each([
  [1, -1],
  [3, 1],
  [9, 1],
])('does not move %i by %i, where there is no place', async (id, by) => {
  const { own, asked, shown } = begun()
  expect(await own.move(id, by)).toBe(false)
  expect([shown(), asked]).toEqual([[1, 2, 3], []])
})
